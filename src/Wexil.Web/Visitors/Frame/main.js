// Stands in a page that Wexil shows in a frame, in an origin of its own. It points at parts of the page, shows at once
// what a person does there, and says it; the server decides what becomes of it. Nothing here is trusted by anybody.
let selected = null;
let isChosen = false; // by Escape or in the list, so that Delete may remove it

function select(element, { tells = true, chosen = false } = {}) {
  if (open && open !== element) finish();
  selected = element;
  isChosen = chosen && element !== null;
  unmark();
  if (!element) {
    if (tells) say("selected", { part: null });
    return;
  }
  mark(element, "outline: 2px solid #1f5fbf; background: transparent", nameOf(element));
  if (tells) say("selected", { part: describe(element) });
}

// The last line of a headline that holds one word only.
function lonelyWords() {
  const found = [];
  for (const heading of document.querySelectorAll("h1, h2, h3")) {
    const ends = [];
    const walker = document.createTreeWalker(heading, NodeFilter.SHOW_TEXT);
    const texts = [];
    while (walker.nextNode()) texts.push(walker.currentNode);
    let count = 0;
    for (const text of texts.reverse()) {
      for (const match of [...text.data.matchAll(/\S+/g)].reverse()) {
        count++;
        if (ends.length >= 2) continue;
        const range = document.createRange();
        range.setStart(text, match.index);
        range.setEnd(text, match.index + match[0].length);
        const rect = range.getClientRects()[0];
        if (rect) ends.push({ rect, word: match[0] });
      }
    }
    const isAlone = count > 2 && ends.length === 2 && ends[0].rect.top > ends[1].rect.top + ends[1].rect.height / 2;
    if (isAlone)
      found.push({
        key: keyOf(heading),
        node: numberOf(heading),
        words: shorten(heading.textContent),
        word: ends[0].word,
      });
  }
  say("lonely", { width: innerWidth, found });
}

function tellParts() {
  const list = parts();
  if (editing) {
    for (const { element } of list) {
      if (
        ["a", "button", "input", "textarea", "select"].includes(element.localName) ||
        element.hasAttribute("tabindex")
      )
        continue;
      element.setAttribute(tabbed, "");
      element.tabIndex = 0;
    }
  }
  say("parts", {
    parts: list.map(({ element, level }) => ({
      key: keyOf(element),
      node: numberOf(element),
      level,
      hidden: isHidden(element),
      kind: kindOf(element),
      name: nameOf(element),
      words: wordsOf(element),
    })),
    height: document.documentElement.scrollHeight,
  });
}

// The list and the lone words follow every change, once it has settled.
let telling;
function changed() {
  clearTimeout(telling);
  telling = setTimeout(() => {
    tellParts();
    lonelyWords();
  }, 150);
}

function ready() {
  tellParts();
  say("ready", { revision: Number(revision) });
  lonelyWords();
}

// What a person asked for is seen at once; the server's answer makes it right where it differs.
function show({ key, kind, ...edit }) {
  const element = withKey(key);
  if (!element?.isConnected) return;
  const neighbour = (down) => {
    let other = element;
    do other = down ? other.nextElementSibling : other.previousElementSibling;
    while (other && (["script", "style", "br"].includes(other.localName) || !other.hasAttribute(number)));
    return other;
  };
  const shows = {
    move: () => {
      const other = neighbour(edit.down);
      if (other) other[edit.down ? "after" : "before"](element);
    },
    duplicate: () => {
      const copy = element.cloneNode(true);
      for (const held of [copy, ...copy.querySelectorAll(`[${number}]`)]) held.setAttribute(number, "");
      copy.removeAttribute("contenteditable");
      element.after(copy);
    },
    hide: () => element.style.setProperty("display", "none", "important"),
    show: () => element.style.removeProperty("display"),
    remove: () => element.remove(),
    look: () => element.style.setProperty(edit.property, edit.value),
    address: () => element.setAttribute(element.localName === "a" ? "href" : "src", edit.to),
    hint: () =>
      element.setAttribute(
        element.localName === "input" && ["submit", "button"].includes(element.type) ? "value" : "placeholder",
        edit.words,
      ),
  };
  shows[kind]?.();
  place();
  changed();
}

// Works the server's answer into the page that stands here.
function answer({ patch, taken: count, given }) {
  if (count && withKey(count.key)) taken(withKey(count.key), count.count);
  if (given) give(withKey(given));
  const stands = apply(patch);
  for (const [element, writing] of writings) if (element !== open && writing.typed <= writing.taken) settle(element);
  if (selected && !selected.isConnected) select(null);
  else if (selected) say("selected", { part: describe(selected), again: true });
  place();
  changed();
  say("applied", { stands, numbers: newNumbers() });
}

addEventListener("DOMContentLoaded", () => {
  document.documentElement.append(glass);
  addEventListener(
    "scroll",
    () => {
      place();
      say("scrolled", { y: scrollY, most: document.documentElement.scrollHeight - innerHeight });
    },
    { passive: true, capture: true },
  );
  new ResizeObserver(() => {
    place();
    lonelyWords();
  }).observe(document.documentElement);
  addEventListener("load", lonelyWords);
  addEventListener("submit", (event) => event.preventDefault(), true);
  addEventListener("click", (event) => event.preventDefault(), true);
  ready();
});
document.fonts?.ready.then(lonelyWords);

addEventListener("message", ({ data, source }) => {
  if (source !== parent || !data) return;
  // A listener that came after the page was there asks for what was said before.
  if (data.ask && document.readyState !== "loading") ready();
  if (typeof data.scroll === "number") scrollTo({ top: data.scroll, behavior: "instant" });
  if (data.outline) {
    unmark();
    for (const node of data.outline)
      if (withNumber(node)) mark(withNumber(node), `outline: 3px dashed ${data.colour || "#0a706c"}`, "");
  }
  if (data.show !== undefined) withNumber(data.show)?.scrollIntoView({ block: "center", behavior: "instant" });
  if (data.answer) answer(data.answer);
  if (data.preview) show(data.preview);
  if (data.select !== undefined) {
    const element =
      data.select === null ? null : data.select.key ? withKey(data.select.key) : withNumber(data.select.node);
    // What the server answers late must not take the hands off what a person has turned to meanwhile.
    const isLate = data.after !== undefined && (open || (selected && selected !== withKey(data.after)));
    if (isLate) return;
    if (element?.isConnected) {
      if (data.reveal) element.scrollIntoView({ block: "nearest", behavior: "instant" });
      select(element, { chosen: Boolean(data.chosen) });
      if (data.type) write(element);
    } else select(null);
  }
  if (data.finish) {
    finish();
    say("finished", { id: data.finish });
  }
});

if (editing) {
  // What is being written in is outlined by us, and by no browser.
  const sheet = new CSSStyleSheet();
  sheet.replaceSync("[contenteditable] { outline: none !important; cursor: text }");
  document.adoptedStyleSheets.push(sheet);

  addEventListener("pointerover", (event) => {
    if (open) return;
    const part = partAt(event.target);
    unmark((element) => element === selected);
    if (part && part !== selected) mark(part, "outline: 1px dashed #1f5fbf", "");
  });

  // Before the browser puts the caret where the person clicked.
  let selectedBefore = null;
  addEventListener("mousedown", (event) => {
    if (event.button !== 0) return;
    selectedBefore = selected;
    const part = meantAt(event.target, event.clientX, event.clientY);
    if (part === open && part) return;
    if (!part) {
      select(null);
      return;
    }
    if (!canWrite(part)) return;
    select(part);
    write(part);
  });

  addEventListener("click", (event) => {
    if (event.detail === 0 || open?.contains(event.target)) return;
    const part = meantAt(event.target, event.clientX, event.clientY);
    if (!part) return;
    const below = partsAt(event.clientX, event.clientY).filter(
      (other) => other === part || other.localName === "a" || !other.contains(part),
    );
    // A second click at the same place reaches what lies below.
    const isAgain = event.detail === 1 && below.length > 1 && below.includes(selectedBefore);
    select(isAgain ? below[(below.indexOf(selectedBefore) + 1) % below.length] : part);
  });

  addEventListener("focusin", (event) => {
    if (open && event.target !== open) finish();
    const part = partAt(event.target);
    if (part && part !== selected && part !== open) select(part);
  });

  addEventListener("focusout", (event) => {
    if (open && event.target === open) finish();
  });

  addEventListener("input", (event) => {
    if (!open || !open.contains(event.target)) return;
    tellTyped(false);
    place();
    changed();
  });

  addEventListener("paste", (event) => {
    if (!open) return;
    event.preventDefault();
    document.execCommand("insertText", false, event.clipboardData.getData("text/plain").replace(/\s+/g, " "));
  });

  addEventListener("keydown", (event) => {
    const command = event.ctrlKey || event.metaKey;
    if (open) {
      if (event.key === "Escape") {
        event.preventDefault();
        const element = open;
        finish();
        select(element, { chosen: true });
      } else if (event.key === "Enter") {
        event.preventDefault();
        if (event.shiftKey) document.execCommand("insertLineBreak");
        else finish();
      }
      return;
    }
    const key = event.key.toLowerCase();
    if (command && key === "z") {
      event.preventDefault();
      say(event.shiftKey ? "redo" : "undo");
    } else if (command && key === "y") {
      event.preventDefault();
      say("redo");
    } else if (selected) onSelected(event, command);
  });
}

function onSelected(event, command) {
  const edit = (kind, more = {}) =>
    say("edit", {
      edit: { kind, key: keyOf(selected), node: numberOf(selected), ...more },
      what: `${nameOf(selected)} “${wordsOf(selected)}”`,
    });
  if (event.key === "Enter") {
    event.preventDefault();
    if (!write(selected)) say("panel");
  } else if (event.key === "Escape") {
    const up = selected.parentElement?.closest(`[${number}]`);
    if (!isChosen && up) select(selected, { chosen: true });
    else if (up && up !== document.body && up !== document.documentElement) select(up, { chosen: true });
    else say("panel");
  } else if (event.altKey && (event.key === "ArrowUp" || event.key === "ArrowDown")) {
    event.preventDefault();
    edit("move", { down: event.key === "ArrowDown" });
  } else if (command && event.key.toLowerCase() === "d") {
    event.preventDefault();
    edit("duplicate");
  } else if (event.key === "Delete" && isChosen) {
    edit("remove");
    select(null);
  }
}
