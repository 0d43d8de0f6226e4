// Leads the page that stands here to what the server says that it is, node by node: what has not changed stays, and
// what somebody is writing in is left alone.
const shapes = new WeakMap(); // what the server last knew of an element that somebody has written in since
const tabbed = "data-wx-tab"; // stands beside a tabindex of ours
const unread = new Set(["script", "noscript", "iframe", "template"]);
const MAX_PAIRS = 40_000;

function shapeOf(node) {
  if (node.nodeType !== Node.ELEMENT_NODE) return `${node.nodeType}${node.data}`;
  if (shapes.has(node)) return shapes.get(node);
  const clone = node.cloneNode(true);
  for (const element of [clone, ...clone.querySelectorAll("*")]) {
    element.removeAttribute(number);
    if (element.hasAttribute(tabbed)) element.removeAttribute("tabindex");
    element.removeAttribute(tabbed);
  }
  clone.removeAttribute("contenteditable");
  return clone.outerHTML;
}

// Pairs of equal nodes in order, as many as there can be.
function commonPairs(old, fresh, isSame) {
  if (old.length * fresh.length > MAX_PAIRS) return [];
  const lengths = Array.from({ length: old.length + 1 }, () => new Uint16Array(fresh.length + 1));
  for (let i = old.length - 1; i >= 0; i--) {
    for (let j = fresh.length - 1; j >= 0; j--)
      lengths[i][j] = isSame(old[i], fresh[j])
        ? lengths[i + 1][j + 1] + 1
        : Math.max(lengths[i + 1][j], lengths[i][j + 1]);
  }
  const pairs = [];
  for (let i = 0, j = 0; i < old.length && j < fresh.length;) {
    if (isSame(old[i], fresh[j])) pairs.push([i++, j++]);
    else if (lengths[i + 1][j] >= lengths[i][j + 1]) i++;
    else j++;
  }
  return pairs;
}

// Which of the old nodes each fresh one is: the equal ones, then those of one kind in the gaps between them, then equal
// ones that moved.
function partners(old, fresh) {
  const partner = new Map();
  const [oldShapes, freshShapes] = [old.map(shapeOf), fresh.map(shapeOf)];
  let start = 0;
  while (start < old.length && start < fresh.length && oldShapes[start] === freshShapes[start])
    partner.set(fresh[start], old[start++]);
  let end = 0;
  while (
    end < old.length - start &&
    end < fresh.length - start &&
    oldShapes.at(-1 - end) === freshShapes.at(-1 - end)
  ) {
    partner.set(fresh.at(-1 - end), old.at(-1 - end));
    end++;
  }
  const range = (length) => Array.from({ length: length - start - end }, (_, i) => start + i);
  const [oldRange, freshRange] = [range(old.length), range(fresh.length)];
  const equal = commonPairs(oldRange, freshRange, (i, j) => oldShapes[i] === freshShapes[j]);
  let [fromOld, fromFresh] = [0, 0];
  for (const [i, j] of [...equal, [oldRange.length, freshRange.length]]) {
    const [oldGap, freshGap] = [oldRange.slice(fromOld, i), freshRange.slice(fromFresh, j)];
    for (const [a, b] of commonPairs(oldGap, freshGap, (a, b) => old[a].nodeName === fresh[b].nodeName))
      partner.set(fresh[freshGap[b]], old[oldGap[a]]);
    if (i < oldRange.length) partner.set(fresh[freshRange[j]], old[oldRange[i]]);
    [fromOld, fromFresh] = [i + 1, j + 1];
  }
  const taken = new Set(partner.values());
  for (const j of freshRange) {
    if (partner.has(fresh[j])) continue;
    const moved = oldRange.find((i) => !taken.has(old[i]) && oldShapes[i] === freshShapes[j]);
    if (moved === undefined) continue;
    partner.set(fresh[j], old[moved]);
    taken.add(old[moved]);
  }
  return partner;
}

function lead(parent, before, after, fresh) {
  const old = [];
  for (let node = before ? before.nextSibling : parent.firstChild; node && node !== after; node = node.nextSibling)
    if (node !== glass) old.push(node);
  const partner = partners(old, fresh);
  const kept = new Set(partner.values());
  for (const node of old) if (!kept.has(node)) node.remove();
  let place = before ? before.nextSibling : parent.firstChild;
  for (const node of fresh) {
    const same = partner.get(node);
    if (same) update(same, node);
    const stands = same ?? document.importNode(node, true);
    if (stands === place) place = place.nextSibling;
    else parent.insertBefore(stands, place);
  }
}

function update(old, fresh) {
  if (old.nodeType !== Node.ELEMENT_NODE) {
    if (old.data !== fresh.data) old.data = fresh.data;
    return;
  }
  setAttributes(old, fresh);
  if (unread.has(old.localName)) return;
  if (isWrittenIn(old)) {
    keepWriting(old, fresh);
    return;
  }
  // With the server's words here, what it said of them before is over.
  forget(old);
  lead(old, null, null, [...fresh.childNodes]);
}

function setAttributes(old, fresh) {
  // By node: pages have attributes with names that cannot be set by name.
  for (const attribute of fresh.attributes)
    if (old.getAttribute(attribute.name) !== attribute.value) old.setAttributeNode(attribute.cloneNode());
  for (const { name } of [...old.attributes]) {
    const isOurs = name === "contenteditable" || name === tabbed || (name === "tabindex" && old.hasAttribute(tabbed));
    if (!isOurs && !fresh.hasAttribute(name)) old.removeAttribute(name);
  }
}

// Gives the elements in a text their numbers anew: those that it had when it was sent, in order, of what the server
// made of it.
function renumber(known, fresh) {
  const now = [...fresh.querySelectorAll("*")];
  for (const element of known) element.removeAttribute(number);
  for (const [i, j] of commonPairs(known, now, (a, b) => a.localName === b.localName))
    if (now[j].hasAttribute(number)) known[i].setAttribute(number, now[j].getAttribute(number));
}

function shift({ from, to, shift: by }) {
  if (by === 0) return;
  const beyond = (element) => {
    const at = numberOf(element);
    if (at !== null && at >= to) element.setAttribute(number, at + by);
  };
  for (const element of document.querySelectorAll(`[${number}]`)) beyond(element);
  for (const element of detached()) beyond(element);
}

function parse(html) {
  const template = document.createElement("template");
  template.innerHTML = html;
  return [...template.content.childNodes];
}

// False when the page that stands here is not the one that the patch is for.
function apply(patch) {
  if (patch.kind === "nothing") return true;
  if (patch.kind === "body") {
    const whole = new DOMParser().parseFromString(patch.html, "text/html");
    for (const name of ["documentElement", "head", "body"]) setAttributes(document[name], whole[name]);
    for (const name of ["head", "body"]) lead(document[name], null, null, [...whole[name].childNodes]);
    return true;
  }
  if (patch.kind === "tag") {
    const element = withNumber(patch.parent);
    const [fresh] = parse(patch.html);
    if (element && patch.parent !== null && element === document.body)
      setAttributes(element, new DOMParser().parseFromString(patch.html, "text/html").body);
    else if (element && fresh) setAttributes(element, fresh);
    return element !== null;
  }
  const parent = patch.parent === null ? document.body : withNumber(patch.parent);
  const [before, after] = [patch.before, patch.after].map((node) => (node === null ? null : withNumber(node)));
  const stands =
    parent &&
    [
      [patch.before, before],
      [patch.after, after],
    ].every(([node, element]) => node === null || element?.parentNode === parent);
  shift(patch);
  if (patch.kind === "document") return true;
  if (!stands) return false;
  lead(parent, before, after, parse(patch.html));
  return true;
}
