// Stands in a page that Studio shows in a frame, in an origin of its own. It points at parts of the page and says what a person
// does there; Studio's server decides what becomes of it. Nothing here is trusted by anybody.
(() => {
  const use = document.currentScript.dataset.use;
  document.currentScript.remove();
  const editing = use === "edit";
  const number = "data-wx";
  const inline = new Set("b strong i em u s small mark sub sup span br wbr a code abbr q cite time font kbd del ins".split(" "));
  const headings = "h1, h2, h3, h4, h5, h6";
  const say = (what, more = {}) => parent.postMessage({ wexil: what, ...more }, "*");
  const idOf = (element) => Number(element.getAttribute(number));
  const find = (id) => document.querySelector(`[${number}="${Number(id)}"]`);
  const words = (text, longest = 60) => {
    const plain = text.replace(/\s+/g, " ").trim();
    return plain.length > longest ? plain.slice(0, longest - 1) + "…" : plain;
  };

  function isText(element) {
    return element.textContent.trim() !== "" && !["script", "style", "noscript", "select", "option", "textarea"].includes(element.localName)
      && [...element.querySelectorAll("*")].every((child) => inline.has(child.localName));
  }

  function kindOf(element) {
    const name = element.localName;
    if (name === "img") return "picture";
    if (name === "a" || name === "button" || (name === "input" && ["submit", "button"].includes(element.type))) return "button";
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
    if (kind === "button") return element.localName === "a" && !/btn|button/i.test(element.className) && !element.dataset.wexil ? "Link" : "Button";
    if (kind === "field") return "Field";
    if (kind === "video") return "Video";
    if (kind === "form") return "Form";
    if (kind === "text") return element.localName === "li" ? "Point" : "Text";
    return "Section";
  }

  function wordsOf(element) {
    if (element.localName === "img") return words(element.alt || (element.getAttribute("src") || "").split("/").pop());
    if (element.localName === "input" || element.localName === "textarea") return words(element.value && element.type !== "email" ? element.value : element.placeholder || element.name);
    if (kindOf(element) === "section" || element.localName === "form") return words((element.querySelector(headings) || element).textContent, 40);
    return words(element.textContent);
  }

  // The part that a person means who points at something.
  function partAt(target) {
    let element = target.closest(`[${number}]`);
    if (!element || element === document.body || element === document.documentElement) return null;
    if (kindOf(element) === "picture" || kindOf(element) === "field" || kindOf(element) === "video") return element;
    const button = element.closest("a, button");
    if (button?.hasAttribute(number) && document.body.contains(button)) return button;
    while (inline.has(element.localName) && element.parentElement?.closest(`[${number}]`) !== document.body && isText(element.parentElement)) element = element.parentElement.closest(`[${number}]`);
    return element;
  }

  const isHidden = (element) => element.style.display === "none";

  function parts() {
    const list = [];
    const walk = (element, level) => {
      for (const child of element.children) {
        if (list.length >= 1500) return;
        if (!child.hasAttribute(number)) {
          walk(child, level);
          continue;
        }
        if (["script", "style", "noscript", "template", "link", "meta", "svg", "br", "hr"].includes(child.localName)) continue;
        const kind = kindOf(child);
        const holds = kind === "section" || kind === "form";
        // A box around one other thing is that thing.
        const wrapper = holds && !["section", "form", "header", "footer", "article"].includes(child.localName) && child.children.length === 1;
        // So is a paragraph that is all one link.
        const link = kind === "text" && child.querySelector(`a[${number}]`);
        const whole = link && link.textContent.trim() === child.textContent.trim();
        if (!wrapper && !whole && (wordsOf(child) || kind !== "section")) list.push({ element: child, level, hidden: isHidden(child) });
        if (holds) walk(child, wrapper ? level : level + 1);
        else if (kind === "text") for (const link of child.querySelectorAll(`a[${number}], img[${number}]`)) list.push({ element: link, level: level + 1, hidden: false });
      }
    };
    walk(document.body, 0);
    return list;
  }

  // Marks are drawn over the page, not in it.
  const glass = document.createElement("div");
  const shade = glass.attachShadow({ mode: "open" });
  glass.style.cssText = "all: initial; position: fixed; inset: 0; pointer-events: none; z-index: 2147483647";
  let drawn = [];

  function mark(element, style, label) {
    const box = document.createElement("div");
    box.style.cssText = "position: fixed; box-sizing: border-box; border-radius: 2px;" + style;
    if (label) {
      const tag = document.createElement("span");
      tag.textContent = label;
      tag.style.cssText = "position: absolute; left: -2px; bottom: 100%; max-width: 60vw; overflow: hidden; white-space: nowrap; text-overflow: ellipsis; font: 600 12px/1.5 system-ui, sans-serif; color: #fff; background: #1f5fbf; padding: 0 6px; border-radius: 2px 2px 0 0";
      box.append(tag);
    }
    shade.append(box);
    drawn.push({ box, element });
    place();
  }

  function place() {
    for (const { box, element } of drawn) {
      const at = element.getBoundingClientRect();
      box.style.left = at.left - 3 + "px";
      box.style.top = at.top - 3 + "px";
      box.style.width = at.width + 6 + "px";
      box.style.height = at.height + 6 + "px";
      const tag = box.firstChild;
      if (tag) tag.style.bottom = at.top < 24 ? "auto" : "100%";
    }
  }

  function unmark(kept = () => false) {
    for (const { box, element } of drawn) if (!kept(element)) box.remove();
    drawn = drawn.filter(({ element }) => kept(element));
  }

  let selected = null;
  let open = null;
  let still = false;

  function describe(element) {
    const style = getComputedStyle(element);
    const trail = [];
    for (let up = element.parentElement; up && up !== document.body; up = up.parentElement) if (up.hasAttribute(number) && ["section", "form"].includes(kindOf(up)) && wordsOf(up) !== trail.at(-1)?.words) trail.push({ id: idOf(up), name: nameOf(up), words: wordsOf(up) });
    return {
      id: idOf(element), tag: element.localName, kind: kindOf(element), name: nameOf(element), words: wordsOf(element), hidden: isHidden(element), trail: trail.slice(0, 3),
      text: kindOf(element) === "button" || kindOf(element) === "text" ? element.localName === "input" ? element.value : element.innerText : "",
      plain: element.children.length === 0, href: element.getAttribute("href"), src: element.getAttribute("src"), alt: element.getAttribute("alt"),
      placeholder: element.getAttribute("placeholder"), action: element.getAttribute("action"), role: element.dataset.wexil || "",
      color: style.color, background: style.backgroundColor, size: style.fontSize, own: element.getAttribute("style") || "",
    };
  }

  function select(element, tell = true) {
    if (open && open !== element) finish(true);
    selected = element;
    unmark();
    if (!element) return;
    mark(element, "outline: 2px solid #1f5fbf; background: transparent", nameOf(element));
    if (tell) say("selected", { part: describe(element) });
  }

  let before = "";
  let was = "";
  function edit(element) {
    if (still || open === element || kindOf(element) !== "text" && element.localName !== "a") return;
    open = element;
    before = element.innerHTML;
    was = element.textContent;
    element.setAttribute("contenteditable", "true");
    element.style.outline = "none";
    element.focus();
    say("editing", { on: true });
  }

  function finish(keep) {
    if (!open) return;
    const element = open;
    open = null;
    element.removeAttribute("contenteditable");
    const after = element.innerHTML;
    if (!keep) element.innerHTML = before;
    else if (after !== before) say("edit", { edit: { kind: "text", node: idOf(element), html: after, was } });
    say("editing", { on: false });
  }

  // The last line of a headline that holds one word only.
  function lonely() {
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
          if (ends.length < 2) {
            const range = document.createRange();
            range.setStart(text, match.index);
            range.setEnd(text, match.index + match[0].length);
            const rect = range.getClientRects()[0];
            if (rect) ends.push({ rect, word: match[0] });
          }
        }
      }
      if (count > 2 && ends.length === 2 && ends[0].rect.top > ends[1].rect.top + ends[1].rect.height / 2) found.push({ id: idOf(heading), words: words(heading.textContent), word: ends[0].word });
    }
    say("lonely", { width: innerWidth, found });
  }

  function tellParts() {
    say("ready", { parts: parts().map(({ element, level, hidden }) => ({ id: idOf(element), level, hidden, kind: kindOf(element), name: nameOf(element), words: wordsOf(element) })), height: document.documentElement.scrollHeight });
  }

  addEventListener("DOMContentLoaded", () => {
    document.documentElement.append(glass);
    addEventListener("scroll", () => {
      place();
      say("scrolled", { y: scrollY, most: document.documentElement.scrollHeight - innerHeight });
    }, { passive: true, capture: true });
    new ResizeObserver(() => {
      place();
      lonely();
    }).observe(document.documentElement);
    addEventListener("load", lonely);
    addEventListener("submit", (event) => event.preventDefault(), true);
    addEventListener("click", (event) => event.preventDefault(), true);
    if (editing) {
      for (const { element } of parts()) if (!["a", "button", "input", "textarea", "select"].includes(element.localName)) element.tabIndex = 0;
    }
    tellParts();
  });
  document.fonts?.ready.then(lonely);

  addEventListener("message", ({ data, source }) => {
    if (source !== parent || !data) return;
    // Who began to listen after the page was there asks for what was said before.
    if (data.ask && document.readyState !== "loading") {
      tellParts();
      lonely();
    }
    if (typeof data.scroll === "number") scrollTo({ top: data.scroll, behavior: "instant" });
    if (data.outline) {
      unmark();
      for (const id of data.outline) {
        const element = find(id);
        if (element) mark(element, "outline: 3px dashed " + (data.colour || "#0a706c"), "");
      }
    }
    if (data.show !== undefined) find(data.show)?.scrollIntoView({ block: "center", behavior: "instant" });
    if (data.select !== undefined) {
      const element = find(data.select);
      if (element) {
        if (data.reveal) element.scrollIntoView({ block: "nearest", behavior: "instant" });
        select(element);
        if (data.type) edit(element);
      } else select(null);
    }
    if (data.finish) finish(true);
    if (data.still) still = true;
    if (data.settle) say("settled");
  });

  if (!editing) return;

  addEventListener("pointerover", (event) => {
    if (open) return;
    const part = partAt(event.target);
    unmark((element) => element === selected);
    if (part && part !== selected) mark(part, "outline: 1px dashed #1f5fbf", "");
  });

  addEventListener("click", (event) => {
    const part = partAt(event.target);
    if (!part) return select(null);
    if (part === open) return;
    select(part);
    if (kindOf(part) === "text") edit(part);
  });

  addEventListener("focusin", (event) => {
    const part = partAt(event.target);
    if (part && part !== selected && part !== open) select(part);
  });

  addEventListener("focusout", (event) => {
    if (open && event.target === open) finish(true);
  });

  addEventListener("paste", (event) => {
    if (!open) return;
    event.preventDefault();
    document.execCommand("insertText", false, event.clipboardData.getData("text/plain").replace(/\s+/g, " "));
  });

  addEventListener("keydown", (event) => {
    if (still && !open) return;
    const command = event.ctrlKey || event.metaKey;
    if (open) {
      if (event.key === "Escape") {
        event.preventDefault();
        finish(false);
      } else if (event.key === "Enter") {
        event.preventDefault();
        if (event.shiftKey) document.execCommand("insertLineBreak");
        else finish(true);
      }
      return;
    }
    if (command && event.key.toLowerCase() === "z") {
      event.preventDefault();
      say(event.shiftKey ? "redo" : "undo");
    } else if (command && event.key.toLowerCase() === "y") {
      event.preventDefault();
      say("redo");
    } else if (selected) {
      const node = idOf(selected);
      if (event.key === "Enter") {
        event.preventDefault();
        if (kindOf(selected) === "text") edit(selected);
        else say("panel");
      } else if (event.key === "Escape") {
        const up = selected.parentElement?.closest(`[${number}]`);
        if (up && up !== document.body && up !== document.documentElement) select(up);
        else say("panel");
      } else if (event.altKey && (event.key === "ArrowUp" || event.key === "ArrowDown")) {
        event.preventDefault();
        say("edit", { edit: { kind: "move", node, down: event.key === "ArrowDown" } });
      } else if (command && event.key.toLowerCase() === "d") {
        event.preventDefault();
        say("edit", { edit: { kind: "duplicate", node } });
      } else if (event.key === "Delete") say("edit", { edit: { kind: "remove", node } });
    }
  });
})();
