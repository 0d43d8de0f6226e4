// The editor: a page in a frame that shows at once what a person does there, a panel for what is selected, the source
// beside it. Every edit goes to the server, which makes it in the source and says how the page gets there; what the
// frame says is never taken as it is.
import { Panel } from "./panel.js";
import { EditQueue } from "./edit-queue.js";

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
let revision = Number(root.dataset.revision);
let scroll = 0;
let selectedNode = null;
let isWriting = false;
let isOutdated = false;
let sourceView = null;

for (const box of [stage, panelBox, ...document.querySelectorAll("[data-script]")]) box.hidden = false;
find("plain").hidden = true;
document.querySelector("#save > input[name=At]").disabled = true;

// What a part's number is now, by its key in the frame.
const numbers = new Map();
const tell = (message) => frame.contentWindow.postMessage(message, "*");

// What is said longer floats over the page: nothing may move under the hand of somebody who clicks.
const reasons = {
  offline: "Not saved yet: no connection. It will be saved when you are online again.",
  "signed-out": "Not saved yet: you are signed out. Sign in in another tab to save it.",
  refused: "Not saved yet: Wexil has a problem. It will be tried again.",
};

const queue = new EditQueue(
  {
    status: (state) => {
      const saved = find("saved");
      const words = { saved: "Saved", saving: "Saving…" }[state] ?? "Not saved yet";
      if (saved.textContent !== words) saved.textContent = words;
      saved.classList.toggle("bad", Object.hasOwn(reasons, state));
      find("why").hidden = !Object.hasOwn(reasons, state);
      if (find("why-words").textContent !== (reasons[state] ?? ""))
        find("why-words").textContent = reasons[state] ?? "";
      find("sign-in").hidden = state !== "signed-out";
    },

    // What is sent for an entry when its turn comes; null when its part is not on the page any more.
    fields: (entry) => {
      const fields = { At: revision, kind: entry.kind ?? "", ...(entry.make ? entry.make() : entry.fields) };
      if (!entry.key) return entry.make && !fields.kind ? null : fields;
      const node = entry.on ? entry.on.node : numbers.get(entry.key);
      if (node === null || node === undefined) {
        problem.textContent = "This element is no longer on the page, so nothing was changed.";
        return null;
      }
      if (entry.html !== undefined)
        fields.html = entry.html.replace(/data-wx="k(\d+)"/g, (_, key) =>
          Number.isInteger(numbers.get(Number(key))) ? `data-wx="${numbers.get(Number(key))}"` : "",
        );
      else if (entry.isShown !== false) tell({ preview: { ...fields, key: entry.key } });
      return { ...fields, node };
    },

    answered: async (entry, answer) => {
      revision = answer.revision;
      undo.disabled = !answer.canUndo;
      redo.disabled = !answer.canRedo;
      problem.textContent = answer.problem ?? "";
      entry.done?.(answer);
      if (entry.place) entry.place.node = answer.node;
      if (pending === entry.place) pending = null;
      sourceView?.take(answer.change, entry);
      let given = null;
      if (answer.conflict !== null) {
        const mine = queue.withdraw(entry.key, entry.sitting) ?? entry;
        given = entry.key;
        choose(entry.key, mine, answer.conflict);
      }
      await work(answer.patch, { taken: entry.count ? { key: entry.key, count: entry.count } : null, given });
      if (["insert", "duplicate", "move"].includes(entry.kind) && answer.node !== null)
        tell({ select: { node: answer.node }, reveal: true, after: entry.key });
      if (entry.kind === "remove" && answer.label) removed(entry.what ?? answer.label);
      askState();
    },
  },
  root.dataset.token,
);

const panel = new Panel({
  edit,
  picture: (part, alternative, file) =>
    send({
      handler: "Picture",
      key: part.key,
      node: part.node,
      isShown: false,
      fields: { alternative, picture: file },
    }),
  section: (part, name, withNext) =>
    send({ handler: "Section", key: part.key, node: part.node, isShown: false, fields: { section: name, withNext } }),
  background: (part, file) =>
    send({
      handler: "Picture",
      key: part.key,
      node: part.node,
      isShown: false,
      fields: { background: true, picture: file },
    }),
  editNode: (at, { kind, ...fields }) =>
    at === revision && queue.isEmpty ? send({ handler: "Edit", kind, fields }) : askState(),
  select: (target, { chosen = true, type = false } = {}) => tell({ select: target, reveal: true, chosen, type }),
  blocks: find("blocks").content,
});

function send(entry) {
  if (entry.key && Number.isInteger(entry.node)) numbers.set(entry.key, numbers.get(entry.key) ?? entry.node);
  queue.add(entry);
}

// An edit of a part, or of the page as a whole where it has none.
function edit(part, fields, what) {
  const { kind, ...more } = fields;
  const entry = { handler: "Edit", kind, key: part.key, node: part.node, fields: more, what };
  send(part.key && PLACED.includes(kind) ? placed(entry) : entry);
}

// What is done to an element before the copy made of it, or its new place, is known is done to that copy, in that
// place: it is what the person sees selected in a moment.
const PLACED = ["duplicate", "move", "remove"];
let pending = null;
function placed(entry) {
  const on = pending?.key === entry.key ? pending : null;
  pending = { key: entry.key, node: null };
  return { ...entry, place: pending, on, isShown: on ? false : entry.isShown };
}

// Leads the page in the frame to the server's; the next edit waits until it stands there.
let applied = () => {};
async function work(patch, more) {
  if (patch.kind === "document") isOutdated = true;
  const answer = new Promise((done) => (applied = done));
  tell({ answer: { patch, ...more } });
  // A frame that is loaded meanwhile shows the page as it is already.
  const { stands, numbers: now } = await Promise.race([answer, nextLoad.then(() => ({ stands: true, numbers: {} }))]);
  for (const [key, node] of Object.entries(now)) numbers.set(Number(key), node);
  if (!stands) await resync();
  reloadWhenIdle();
}

async function resync() {
  const response = await fetch("?handler=Whole");
  if (!response.ok) return;
  const answer = await response.json();
  revision = answer.revision;
  await work(answer.patch, {});
}

// A page that is built on something else is loaded anew, but never under the hands of somebody who is writing in it.
let isLoaded;
let nextLoad = new Promise((done) => (isLoaded = done));
function load() {
  isOutdated = false;
  stage.setAttribute("aria-busy", "true");
  frame.src = `${root.dataset.frame}?${revision}`;
}

function reloadWhenIdle() {
  if (isOutdated && !isWriting && queue.isEmpty) load();
}

// Ends the typing in the frame, and waits until all of it is in the queue, however slow the frame is; one that is
// loaded anew has nothing.
let finishes = 0;
const finishing = new Map();
function finish() {
  const id = ++finishes;
  const done = new Promise((resolve) => finishing.set(id, resolve));
  tell({ finish: id });
  return Promise.race([done, nextLoad]);
}

// Completes when the server has everything that was done here.
async function saved() {
  if (document.activeElement?.matches("[data-part] input, [data-part] textarea")) document.activeElement.blur();
  await finish();
  await sourceView?.flush();
  await queue.whenEmpty();
}

// What is typed before comes before; until it is all here, nothing is saved.
async function back(handler) {
  queue.hold();
  await finish();
  sourceView?.flush();
  send({ handler });
  queue.release();
}
undo.addEventListener("click", () => back("Undo"));
redo.addEventListener("click", () => back("Redo"));

// What was removed is named, with the way to have it back.
const notice = find("notice");
function removed(what) {
  const again = document.createElement("button");
  Object.assign(again, { type: "button", className: "btn-plain", textContent: "Undo" });
  again.addEventListener("click", () => {
    notice.replaceChildren();
    back("Undo");
  });
  notice.replaceChildren(`Removed: ${what}. `, again);
}

// Two windows changed one text: both are shown, and the person chooses.
let typedBefore = () => {};
function choose(key, mine, theirs) {
  const box = find("conflict");
  const words = (text) => {
    const quote = document.createElement("blockquote");
    quote.textContent = text || "(removed)";
    return quote;
  };
  const button = (text, act) => {
    const made = document.createElement("button");
    Object.assign(made, { type: "button", className: "btn btn-line", textContent: text });
    made.addEventListener("click", () => {
      box.replaceChildren();
      box.hidden = true;
      act?.();
    });
    return made;
  };
  const line = (text) => Object.assign(document.createElement("p"), { textContent: text });
  const own = words(mine.words);
  typedBefore = (newer) => {
    Object.assign(mine, { html: newer.html, count: newer.count, words: newer.words });
    own.textContent = newer.words || "(removed)";
  };
  box.replaceChildren(
    line("This text was changed in another window at the same time."),
    line("Yours:"),
    own,
    line("In the other window:"),
    words(theirs),
    button("Use mine", () =>
      queue.add({ handler: "Edit", kind: "text", key, html: mine.html, count: mine.count, words: mine.words }),
    ),
    button("Use the other"),
  );
  box.hidden = false;
}

// How the draft stands is worked out on the server, where both pages are; only the newest answer counts.
let asked = 0;
let stateTimer;
function askState() {
  clearTimeout(stateTimer);
  stateTimer = setTimeout(async () => {
    const mine = ++asked;
    const answer = await fetch("?handler=State").catch(() => null);
    if (!answer?.ok || answer.redirected || mine !== asked) return;
    panel.state(await answer.json());
  }, 300);
}

const heard = {
  parts: (data) => panel.parts(data.parts),
  ready: (data) => {
    revision = Number(data.revision);
    numbers.clear();
    queue.reloaded();
    isWriting = false;
    stage.removeAttribute("aria-busy");
    tell({ scroll });
    if (selectedNode !== null) tell({ select: { node: selectedNode } });
    isLoaded();
    nextLoad = new Promise((done) => (isLoaded = done));
  },
  scrolled: (data) => (scroll = Number(data.y)),
  selected: (data) => {
    selectedNode = data.part?.node ?? null;
    panel.show(data.part, { isAgain: Boolean(data.again) });
  },
  editing: (data) => {
    isWriting = Boolean(data.on);
    reloadWhenIdle();
  },
  typed: (data) => {
    numbers.set(data.key, data.node);
    for (const [key, node] of Object.entries(data.numbers)) numbers.set(Number(key), node);
    if (queue.typed(data)) find("conflict").hidden = true;
    else typedBefore(data);
  },
  flush: () => queue.hurry(),
  edit: (data) => edit({ key: data.edit.key, node: data.edit.node }, data.edit, data.what),
  undo: () => back("Undo"),
  redo: () => back("Redo"),
  panel: () => panel.focus(),
  lonely: (data) => panel.lonely(data.found, Number(data.width)),
  applied: (data) => applied(data),
  finished: (data) => {
    finishing.get(data.id)?.();
    finishing.delete(data.id);
  },
};
addEventListener("message", ({ source, data }) => {
  if (source === frame.contentWindow && typeof data?.wexil === "string" && Object.hasOwn(heard, data.wexil))
    heard[data.wexil](data);
});

// A width is the width that the page has, scaled into the room that there is.
let width = 1280;
function fit() {
  const room = stage.clientWidth;
  const scale = Math.min(1, room / width);
  const paper = frame.parentElement;
  paper.style.width = `${width * scale}px`;
  frame.style.width = `${width}px`;
  frame.style.height = `${paper.clientHeight / scale}px`;
  frame.style.transform = scale < 1 ? `scale(${scale})` : "";
}
new ResizeObserver(fit).observe(stage);
for (const button of document.querySelectorAll("[data-width]")) {
  button.addEventListener("click", () => {
    width = Number(button.dataset.width);
    fit();
    press("[data-width]", button);
  });
}

for (const button of document.querySelectorAll("[data-view]"))
  button.addEventListener("click", () => look(button.dataset.view));
async function look(view) {
  press("[data-view]", document.querySelector(`[data-view="${view}"]`));
  if (view === "source" && !sourceView) {
    const { SourceView } = await import("./source-view.js");
    await saved();
    const text = await (await fetch("?handler=Source")).text();
    sourceView = new SourceView(textarea, text, root.dataset.nonce, (make, done) =>
      send({ handler: "Edit", kind: "source", make, done }),
    );
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
  form.append("__RequestVerificationToken", queue.token);
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

// What is being typed is saved before a form or a link leads away, and asked about where that cannot be.
const isUnsaved = () => !queue.isEmpty || sourceView?.waits() || panel.isTyping();
document.addEventListener("submit", async (event) => {
  const form = event.target;
  const { sends } = form.dataset;
  if (sends === "now") return;
  event.preventDefault();
  if (sends) return;
  form.dataset.sends = "soon";
  await saved();
  form.dataset.sends = "now";
  form.requestSubmit(event.submitter);
});
document.addEventListener("click", async (event) => {
  const link = event.target.closest("a[href]");
  if (
    !link ||
    link.target ||
    event.ctrlKey ||
    event.metaKey ||
    event.shiftKey ||
    event.button !== 0 ||
    link.getAttribute("href").startsWith("#")
  )
    return;
  event.preventDefault();
  await Promise.race([saved(), new Promise((done) => setTimeout(done, 5000))]);
  location.assign(link.href);
});
// A page that the browser kept is shown again by Back, with forms that may be sent once more.
addEventListener("pageshow", () => {
  for (const form of document.forms) delete form.dataset.sends;
});
addEventListener("beforeunload", (event) => {
  tell({ finish: ++finishes });
  queue.hurry();
  sourceView?.flush();
  if (isUnsaved()) event.preventDefault();
});

undo.disabled = root.dataset.canUndo !== "True";
redo.disabled = root.dataset.canRedo !== "True";
fit();
load();
askState();
sourceForm.hidden = true;
sourceForm.dataset.ready = "";
