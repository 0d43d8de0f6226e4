// The editor: a page in a frame that says what a person does there, a panel for what is selected, the source beside it. Every edit
// goes to the server, which makes it in the source and says how the draft stands; what the frame says is never taken as it is.
import { Panel } from "./panel.js";

const root = document.querySelector("[data-editor]");
const find = (name) => document.querySelector(`[data-${name}]`);
const frame = find("page");
const problem = find("problem");
const stage = find("stage");
const panelBox = find("panel");
const sourceForm = find("source");
const textarea = document.getElementById("Source");
const undo = find("undo");
const redo = find("redo");
let at = Number(root.dataset.at);
let last = Number(root.dataset.last);
let view = "page";
let scroll = 0;
let chosen = null;
let type = false;
let reveal = false;
let queue = Promise.resolve();
let sourceView = null;

for (const box of [stage, panelBox, ...document.querySelectorAll("[data-script]")]) box.hidden = false;
find("plain").hidden = true;
document.querySelector("#save > input[name=At]").disabled = true;

const tell = (message) => frame.contentWindow.postMessage(message, "*");
const panel = new Panel({ edit, picture, select: (id, reveal = true, write = false) => tell({ select: id, reveal, type: write }), blocks: find("blocks").content });

// The page is loaded again after an edit, but never under the hands of somebody who is writing in it.
// What stands there meanwhile is told to keep still: its parts are numbered as they were.
let writing = false;
let stale = false;
function show() {
  stale = writing;
  if (writing) return;
  stage.setAttribute("aria-busy", "true");
  tell({ still: true });
  frame.src = `${root.dataset.frame}?${at}`;
}

function steps() {
  undo.disabled = at === 0;
  redo.disabled = at >= last;
}

// Edits go one after the other: each is made against the source that the one before left.
function send(handler, fields) {
  queue = queue.then(async () => {
    const form = new FormData();
    for (const [name, value] of Object.entries({ ...fields, At: at, __RequestVerificationToken: root.dataset.token })) form.append(name, value);
    let answer;
    try {
      answer = await fetch(`?handler=${handler}`, { method: "POST", body: form });
    } catch {
      problem.textContent = "Studio does not answer. What you did last is not saved; try it again.";
      stage.removeAttribute("aria-busy");
      return false;
    }
    const result = answer.headers.get("content-type")?.includes("json") ? await answer.json() : { problem: "This could not be saved. Load the page again." };
    problem.textContent = result.problem ?? "";
    if (result.moved) location.reload();
    if (!answer.ok) {
      show();
      return false;
    }
    at = result.position;
    last = result.last;
    steps();
    if (result.node !== undefined && result.node !== null) chosen = result.node;
    if (handler !== "Edit" || fields.kind !== "source") sourceView?.take(result.change);
    show();
    askState();
    return true;
  });
  return queue;
}

async function edit(fields) {
  type = false;
  await sourceView?.flush();
  // What went elsewhere, or is new, is shown where it stands now.
  reveal = ["insert", "duplicate", "move"].includes(fields.kind);
  stage.setAttribute("aria-busy", "true");
  return send("Edit", fields);
}

function picture(node, alternative, file) {
  return send("Picture", { node, alternative, picture: file });
}

undo.addEventListener("click", () => back("Undo"));
redo.addEventListener("click", () => back("Redo"));
async function back(handler) {
  tell({ finish: true });
  await sourceView?.flush();
  send(handler, {});
}

// How the draft stands is worked out on the server, where both pages are; only the newest answer counts.
let asked = 0;
let stateTimer;
function askState() {
  clearTimeout(stateTimer);
  stateTimer = setTimeout(async () => {
    const mine = ++asked;
    const answer = await fetch("?handler=State");
    if (!answer.ok || mine !== asked) return;
    panel.state(await answer.json());
  }, 150);
}

addEventListener("message", ({ source, data }) => {
  if (source !== frame.contentWindow || !data?.wexil) return;
  switch (data.wexil) {
    case "ready":
      writing = false;
      panel.parts(data.parts);
      tell({ scroll });
      if (chosen !== null) tell({ select: chosen, type, reveal });
      tell({ settle: true });
      reveal = false;
      break;
    case "settled":
      stage.removeAttribute("aria-busy");
      break;
    case "scrolled":
      scroll = Number(data.y);
      break;
    case "selected":
      chosen = Number(data.part.id);
      panel.show(data.part);
      break;
    case "editing":
      writing = data.on;
      if (!writing && stale) show();
      break;
    case "edit":
      // Words are checked against what stood there; anything else would be done to whatever has the number by now.
      if (data.edit.kind !== "text" && stage.ariaBusy) break;
      edit(data.edit);
      break;
    case "undo":
      back("Undo");
      break;
    case "redo":
      back("Redo");
      break;
    case "panel":
      panel.focus();
      break;
    case "lonely":
      panel.lonely(data.found, Number(data.width));
      break;
  }
});

for (const button of document.querySelectorAll("[data-width]")) {
  button.addEventListener("click", () => {
    frame.parentElement.style.maxWidth = button.dataset.width ? `${button.dataset.width}px` : "";
    press("[data-width]", button);
  });
}

for (const button of document.querySelectorAll("[data-view]")) button.addEventListener("click", () => look(button.dataset.view));
async function look(at) {
  view = at;
  press("[data-view]", document.querySelector(`[data-view="${view}"]`));
  if (view === "source" && !sourceView) {
    const { SourceView } = await import("./source-view.js");
    const text = await (await fetch("?handler=Source")).text();
    sourceView = new SourceView(textarea, text, root.dataset.nonce, (change) => send("Edit", { kind: "source", ...change }));
  }
  document.body.classList.toggle("beside", view === "source");
  sourceForm.hidden = view !== "source";
  panelBox.hidden = view === "source";
  if (view === "source") sourceView.show();
}

function press(all, pressed) {
  for (const button of document.querySelectorAll(all)) button.setAttribute("aria-pressed", String(button === pressed));
}

// The name is saved as it is left; a name made of the change can be taken with one click.
const name = find("name");
async function rename() {
  const form = new FormData();
  form.append("Name", name.value);
  form.append("__RequestVerificationToken", root.dataset.token);
  const answer = await fetch("?handler=Name", { method: "POST", body: form });
  const result = await answer.json();
  problem.textContent = result.problem ?? "";
  if (answer.ok) askState();
}
name.addEventListener("change", rename);
find("suggest").addEventListener("click", () => {
  name.value = find("suggest").dataset.value;
  find("suggest").hidden = true;
  rename();
});

addEventListener("keydown", (event) => {
  if (!(event.ctrlKey || event.metaKey) || event.target.closest("input, textarea, .cm-editor")) return;
  const key = event.key.toLowerCase();
  if (key !== "z" && key !== "y") return;
  event.preventDefault();
  back(key === "y" || event.shiftKey ? "Redo" : "Undo");
});

// What is being typed is sent before a form or a link leads away.
document.addEventListener("submit", async (event) => {
  if (!sourceView?.waits()) return;
  event.preventDefault();
  await sourceView.flush();
  await queue;
  event.target.submit();
});
addEventListener("beforeunload", (event) => {
  if (!sourceView?.waits()) return;
  sourceView.flush();
  event.preventDefault();
});

steps();
show();
askState();
sourceForm.hidden = true;
