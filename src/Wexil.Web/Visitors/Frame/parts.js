// The parts of the page: what a person can point at, what each is called, and how it is known.
const number = "data-wx";
const boxes = new Set(["section", "form", "header", "footer", "article"]);
const headings = "h1, h2, h3, h4, h5, h6";
const MAX_PARTS = 1500;

// A key stays with its element as long as the frame stands; its number changes with every edit in front of it.
let newestKey = 0;
const keys = new WeakMap();
const elements = new Map();

function keyOf(element) {
  let key = keys.get(element);
  if (!key) {
    key = ++newestKey;
    keys.set(element, key);
    elements.set(key, new WeakRef(element));
  }
  return key;
}

const withKey = (key) => elements.get(Number(key))?.deref() ?? null;
const withNumber = (node) => document.querySelector(`[${number}="${Number(node)}"]`);

// Null for what the server does not know yet.
function numberOf(element) {
  const written = element?.getAttribute(number);
  return written ? Number(written) : null;
}

// The numbers that have changed since they were told last, by key.
const toldNumbers = new Map();
function newNumbers() {
  const news = {};
  for (const [key, reference] of elements) {
    const element = reference.deref();
    if (!element) elements.delete(key);
    const now = numberOf(element);
    if (toldNumbers.get(key) === now) continue;
    toldNumbers.set(key, now);
    news[key] = now;
  }
  return news;
}

function shorten(text, longest = 60) {
  const plain = text.replace(/\s+/g, " ").trim();
  return plain.length > longest ? plain.slice(0, longest - 1) + "…" : plain;
}

function isText(element) {
  return (
    element.textContent.trim() !== "" &&
    !["script", "style", "noscript", "select", "option", "textarea"].includes(element.localName) &&
    [...element.querySelectorAll("*")].every((child) => inline.has(child.localName))
  );
}

function kindOf(element) {
  const name = element.localName;
  if (name === "img") return "picture";
  if (name === "a" || name === "button" || (name === "input" && ["submit", "button"].includes(element.type)))
    return "button";
  if (["input", "textarea", "select"].includes(name)) return "field";
  if (["video", "iframe", "audio"].includes(name)) return "video";
  if (name === "form") return "form";
  return isText(element) ? "text" : "section";
}

function nameOf(element) {
  const kind = kindOf(element);
  if (element.localName === "h1") return "Headline";
  if (/^h[2-6]$/.test(element.localName)) return "Heading";
  if (kind === "picture") return "Picture";
  if (kind === "button")
    return element.localName === "a" && !/btn|button/i.test(element.className) && !element.dataset.wexil
      ? "Link"
      : "Button";
  if (kind === "field") return "Field";
  if (kind === "video") return "Video";
  if (kind === "form") return "Form";
  if (kind === "text") return element.localName === "li" ? "Point" : "Text";
  return "Section";
}

// As the source has them, and not as a style sheet capitalises them.
function wordsOf(element) {
  const kind = kindOf(element);
  if (kind === "picture") return shorten(element.alt || (element.getAttribute("src") || "").split("/").pop());
  if (kind === "field")
    return shorten(element.value && element.type !== "email" ? element.value : element.placeholder || element.name);
  if (element.localName === "input") return shorten(element.value);
  if (kind === "section" || kind === "form")
    return shorten((element.querySelector(headings) || element).textContent, 40);
  return shorten(element.textContent);
}

const isHidden = (element) => element.style.display === "none";

// The picture behind an element, from its own style or a style sheet; null when there is none.
function backgroundOf(element) {
  const found = /url\((["']?)(.*?)\1\)/.exec(getComputedStyle(element).backgroundImage);
  return found && !found[2].startsWith("data:") ? found[2] : null;
}

// The part that a person means who points at something.
function partAt(target) {
  let element = target.closest(`[${number}]`);
  if (!element || element === document.body || element === document.documentElement) return null;
  if (["picture", "field", "video"].includes(kindOf(element))) return element;
  const button = element.closest("a, button");
  if (button?.hasAttribute(number) && document.body.contains(button)) return button;
  const outer = (inner) => inner.parentElement?.closest(`[${number}]`);
  while (
    inline.has(element.localName) &&
    outer(element) &&
    outer(element) !== document.body &&
    isText(element.parentElement)
  )
    element = outer(element);
  return element;
}

// Everything that lies under a place and is a part, the topmost first: a second click reaches what an overlay covers.
function partsAt(x, y) {
  const parts = [];
  for (const target of document.elementsFromPoint(x, y)) {
    const part = partAt(target);
    if (part && !parts.includes(part)) parts.push(part);
    const link = target.closest(`a[${number}]`);
    if (link && !parts.includes(link)) parts.push(link);
  }
  return parts;
}

// An overlay without words of its own is not what a person points at who sees a picture below it.
function meantAt(target, x, y) {
  const top = partAt(target);
  if (!top || kindOf(top) === "picture" || top.textContent.trim() !== "") return top;
  return partsAt(x, y).find((part) => kindOf(part) === "picture") ?? top;
}

function parts() {
  const list = [];
  const walk = (element, level) => {
    for (const child of element.children) {
      if (list.length >= MAX_PARTS) return;
      if (!child.hasAttribute(number)) {
        walk(child, level);
        continue;
      }
      if (["script", "style", "noscript", "template", "link", "meta", "svg", "br", "hr"].includes(child.localName))
        continue;
      const kind = kindOf(child);
      const holds = kind === "section" || kind === "form";
      // A box around one other thing is that thing.
      const isWrapper = holds && !boxes.has(child.localName) && child.children.length === 1 && !backgroundOf(child);
      // So is a paragraph that is all one link.
      const link = kind === "text" && child.querySelector(`a[${number}]`);
      const isOneLink = link && link.textContent.trim() === child.textContent.trim();
      if (!isWrapper && !isOneLink && (wordsOf(child) || kind !== "section" || backgroundOf(child)))
        list.push({ element: child, level });
      if (holds) walk(child, isWrapper ? level : level + 1);
      else if (kind === "text")
        for (const held of child.querySelectorAll(`a[${number}], img[${number}]`))
          list.push({ element: held, level: level + 1 });
      else if (kind === "button")
        for (const held of child.querySelectorAll(`img[${number}]`)) list.push({ element: held, level: level + 1 });
    }
  };
  walk(document.body, 0);
  return list;
}

// The parts around one, the nearest first: boxes, and the link that a picture stands in.
function around(element) {
  const trail = [];
  for (let up = element.parentElement; up && up !== document.body && trail.length < 3; up = up.parentElement) {
    const counts = up.hasAttribute(number) && (["section", "form"].includes(kindOf(up)) || up.localName === "a");
    if (counts && wordsOf(up) !== trail.at(-1)?.words)
      trail.push({ key: keyOf(up), name: nameOf(up), words: wordsOf(up) });
  }
  return trail;
}

// The section that a part is, or is in: one part, or those from one to another beside it.
function sectionOf(element) {
  const whole = element.closest("[data-wexil-section]");
  if (whole) return whole.dataset.wexilSection;
  for (let up = element; up; up = up.parentElement)
    for (let at = up; at; at = at.previousElementSibling) {
      if (at !== up && at.dataset?.wexilSectionTo) break;
      if (at.dataset?.wexilSectionFrom) return at.dataset.wexilSectionFrom;
    }
  return "";
}

// What the part below is called, which it could change places with.
function nextTo(element) {
  let next = element.nextElementSibling;
  while (next && ["script", "style", "br"].includes(next.localName)) next = next.nextElementSibling;
  if (!next?.hasAttribute(number)) return "";
  const words = wordsOf(next);
  return words ? `${nameOf(next)} “${words}”` : nameOf(next);
}

function describe(element) {
  const style = getComputedStyle(element);
  const kind = kindOf(element);
  const hasText = kind === "button" || kind === "text";
  return {
    key: keyOf(element),
    node: numberOf(element),
    tag: element.localName,
    kind,
    name: nameOf(element),
    words: wordsOf(element),
    hidden: isHidden(element),
    trail: around(element),
    text: hasText
      ? element.localName === "input"
        ? element.value
        : element.textContent.replace(/\s+/g, " ").trim()
      : "",
    plain: element.children.length === 0,
    href: element.getAttribute("href"),
    src: element.getAttribute("src"),
    alt: element.getAttribute("alt"),
    placeholder: element.getAttribute("placeholder"),
    action: element.getAttribute("action"),
    role: element.dataset.wexil || "",
    section: sectionOf(element),
    next: nextTo(element),
    color: style.color,
    background: style.backgroundColor,
    picture: kind === "picture" ? null : backgroundOf(element),
    size: style.fontSize,
    own: element.getAttribute("style") || "",
  };
}
