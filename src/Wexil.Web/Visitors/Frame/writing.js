// Texts changed where they stand. What is typed is told at once, with a count; until that count comes back from the
// server, nothing that comes from there touches the text.
let open = null;
let told = "";
let sitting = 0;
let typedCount = 0;

// Of each text that was written in: the newest count, the newest that came back, the elements that it held at each
// count, and those that the server knows.
const writings = new Map();

const isWrittenIn = (element) =>
  element === open || (writings.has(element) && writings.get(element).typed > writings.get(element).taken);

// Elements that a person deleted, and that the browser writes back when the typing is undone.
const detached = () =>
  [...writings.values()].flatMap((writing) => writing.known).filter((element) => !element.isConnected);

// The text as markup in which the page's own elements are named by key, and not by a number that changes meanwhile.
function written(element) {
  const clone = element.cloneNode(true);
  const [own, copies] = [element.querySelectorAll("*"), clone.querySelectorAll("*")];
  const numbers = {};
  for (const [i, held] of own.entries()) {
    if (!held.hasAttribute(number)) continue;
    const key = keyOf(held);
    numbers[key] = numberOf(held);
    copies[i].setAttribute(number, `k${key}`);
  }
  return { html: clone.innerHTML, numbers };
}

function canWrite(element) {
  return kindOf(element) === "text" && numberOf(element) !== null;
}

function write(element) {
  if (open === element || !canWrite(element)) return false;
  if (open) finish();
  if (!writings.has(element)) {
    shapes.set(element, shapeOf(element));
    writings.set(element, {
      typed: 0,
      taken: 0,
      sent: new Map(),
      known: [...element.querySelectorAll(`[${number}]`)],
      fresh: null,
    });
  }
  open = element;
  told = written(element).html;
  sitting++;
  element.setAttribute("contenteditable", "true");
  element.focus({ preventScroll: true });
  // An element that had the focus before it could be written in has no caret yet; a click puts it elsewhere in a
  // moment.
  const caret = getSelection();
  caret.selectAllChildren(element);
  caret.collapseToEnd();
  say("editing", { on: true });
  return true;
}

// Tells what the text is now.
function tellTyped(isLast) {
  const writing = writings.get(open);
  writing.typed = ++typedCount;
  writing.sent.set(writing.typed, [...open.querySelectorAll("*")]);
  const { html, numbers } = written(open);
  told = html;
  say("typed", {
    key: keyOf(open),
    node: numberOf(open),
    html,
    numbers,
    count: writing.typed,
    sitting,
    last: isLast,
    words: open.textContent.trim(),
  });
}

// Ends the writing. What was typed stays, whichever key ends it; Undo takes it back.
function finish() {
  if (!open) return;
  const element = open;
  const writing = writings.get(element);
  if (written(element).html !== told) tellTyped(true);
  else if (writing.typed > writing.taken) say("flush", { key: keyOf(element) });
  open = null;
  element.removeAttribute("contenteditable");
  if (!isWrittenIn(element)) settle(element);
  say("editing", { on: false });
}

// Stops without telling anything: somebody else's words are to stand here.
function give(element) {
  if (open === element) {
    open = null;
    element.removeAttribute("contenteditable");
    say("editing", { on: false });
  }
  const writing = writings.get(element);
  if (writing) writing.taken = writing.typed;
}

// The server has the text as it was at a count.
function taken(element, count) {
  const writing = writings.get(element);
  if (!writing) return;
  writing.taken = Math.max(writing.taken, count);
  writing.known = writing.sent.get(count) ?? writing.known;
  for (const older of [...writing.sent.keys()]) if (older <= count) writing.sent.delete(older);
}

// What the server made of a text that somebody goes on writing in: its numbers count now, its words once the writing is
// over.
function keepWriting(element, fresh) {
  const writing = writings.get(element);
  renumber(writing.known, fresh);
  writing.fresh = fresh;
  shapes.set(element, shapeOf(fresh));
}

function forget(element) {
  writings.delete(element);
  shapes.delete(element);
}

function settle(element) {
  const writing = writings.get(element);
  forget(element);
  if (writing?.fresh) lead(element, null, null, [...writing.fresh.childNodes]);
}
