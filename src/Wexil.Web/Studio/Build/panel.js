// The panel beside the page: what is selected and what can be done with it, the parts of the page, its wiring and its changes.
const make = (tag, attributes = {}, ...children) => {
  const element = document.createElement(tag);
  for (const [name, value] of Object.entries(attributes)) {
    if (name.startsWith("on")) element.addEventListener(name.slice(2), value);
    else if (value === true) element.setAttribute(name, "");
    else if (value !== null && value !== undefined && value !== false) element.setAttribute(name, value);
  }
  element.append(...children.filter((child) => child !== null && child !== undefined && child !== false));
  return element;
};
const find = (name) => document.querySelector(`[data-${name}]`);
const escape = (text) => text.replace(/&/g, "&amp;").replace(/</g, "&lt;");

// Colours as browsers compute them, as a colour field wants them.
function hex(colour) {
  const parts = /^rgba?\((\d+), (\d+), (\d+)(?:, ([\d.]+))?\)$/.exec(colour);
  if (!parts || parts[4] === "0") return "#ffffff";
  return "#" + parts.slice(1, 4).map((part) => Number(part).toString(16).padStart(2, "0")).join("");
}

export class Panel {
  #host;
  #part = find("part");
  #list = find("parts");
  #lonely = [];
  #lonelyWidth = 0;
  #shown = null;

  constructor(host) {
    this.#host = host;
  }

  focus() {
    (this.#part.querySelector("input, textarea, select, button") ?? this.#part).focus();
  }

  parts(parts) {
    this.#list.replaceChildren(...parts.map((part) => make("li", {},
      make("button", { type: "button", class: `btn-plain level-${Math.min(part.level, 5)}`, "data-id": part.id, onclick: () => this.#host.select(part.id) },
        make("b", {}, part.name), " ", make("span", {}, part.words), part.hidden ? make("em", {}, " hidden") : null))));
    this.#pressed();
  }

  #pressed() {
    for (const button of this.#list.querySelectorAll("button")) {
      const on = this.#shown !== null && Number(button.dataset.id) === this.#shown.id;
      button.setAttribute("aria-current", on ? "true" : "false");
      if (on) button.scrollIntoView({ block: "nearest" });
    }
  }

  show(part) {
    this.#shown = part;
    const { edit } = this.#host;
    const node = part.id;
    const trail = part.trail.length === 0 ? null : make("p", { class: "soft trail" }, "in ", ...part.trail.flatMap((up, i) => [i > 0 ? " in " : "", make("button", { type: "button", class: "btn-plain", onclick: () => this.#host.select(up.id) }, up.words ? `${up.name} “${up.words}”` : up.name)]));
    this.#part.replaceChildren(
      make("h2", {}, part.name, part.hidden ? make("em", { class: "soft" }, " hidden") : ""), ...(trail ? [trail] : []),
      ...this.#fields(part, node),
      make("div", { class: "actions", role: "group", "aria-label": "What to do with it" },
        make("button", { type: "button", class: "btn btn-line", title: "Move up (Alt ↑)", onclick: () => edit({ kind: "move", node, down: false }) }, "↑", make("span", { class: "visually-hidden" }, " Move up")),
        make("button", { type: "button", class: "btn btn-line", title: "Move down (Alt ↓)", onclick: () => edit({ kind: "move", node, down: true }) }, "↓", make("span", { class: "visually-hidden" }, " Move down")),
        make("button", { type: "button", class: "btn btn-line", title: "Duplicate (Ctrl D)", onclick: () => edit({ kind: "duplicate", node }) }, "Duplicate"),
        part.hidden
          ? make("button", { type: "button", class: "btn btn-line", onclick: () => edit({ kind: "show", node }) }, "Show")
          : make("button", { type: "button", class: "btn btn-line", onclick: () => edit({ kind: "hide", node }) }, "Hide"),
        make("button", { type: "button", class: "btn btn-line", title: "Remove (Del)", onclick: () => edit({ kind: "remove", node }) }, "Remove")),
      this.#insert(node));
    this.#pressed();
  }

  #fields(part, node) {
    const { edit } = this.#host;
    const fields = [];
    const text = (label, value, change, more = {}) => {
      const id = `part-${label.replace(/\W+/g, "-").toLowerCase()}`;
      const input = make(more.rows ? "textarea" : "input", { id, class: "form-control", ...more, onchange: () => change(input.value) });
      input.value = value ?? "";
      fields.push(make("div", { class: "field" }, make("label", { class: "form-label", for: id }, label), input));
      return input;
    };
    if (part.kind === "text") {
      fields.push(make("button", { type: "button", class: "btn btn-line", onclick: () => this.#host.select(node, true, true) }, "Change the text in place"));
      this.#alone(part, fields);
      this.#looks(part, fields, false);
    } else if (part.kind === "button") {
      if (part.tag === "input") text("Words", part.text, (value) => edit({ kind: "hint", node, words: value }));
      else if (part.plain) text("Words", part.text, (value) => edit({ kind: "text", node, html: escape(value) }));
      if (part.tag === "a") {
        const role = make("select", { id: "part-role", class: "form-select", onchange: () => edit({ kind: "role", node, role: role.value }) },
          make("option", { value: "" }, "A link"), make("option", { value: "buy" }, "Buy button"), make("option", { value: "no" }, "No, thank you"));
        role.value = part.role;
        fields.push(make("div", { class: "field" }, make("label", { class: "form-label", for: "part-role" }, "What it is"), role));
        text(part.role ? "Till, when it is not the next step" : "Leads to", part.href, (value) => edit({ kind: "address", node, to: value }), { inputmode: "url", spellcheck: "false" });
      }
      this.#looks(part, fields, true);
    } else if (part.kind === "picture") {
      text("Words for who cannot see it", part.alt, (value) => edit({ kind: "picture", node, alternative: value, file: "" }));
      const file = make("input", { id: "part-file", type: "file", class: "form-control", accept: "image/*", onchange: () => file.files[0] && this.#host.picture(node, part.alt ?? "", file.files[0]) });
      fields.push(make("div", { class: "field" }, make("label", { class: "form-label", for: "part-file" }, "Another picture"), file));
      fields.push(this.#assets(part, node));
      text("Or its address", part.src, (value) => edit({ kind: "picture", node, alternative: part.alt ?? "", file: value }), { inputmode: "url", spellcheck: "false" });
    } else if (part.kind === "video") text("Address of the video", part.src, (value) => edit({ kind: "address", node, to: value }), { inputmode: "url", spellcheck: "false" });
    else if (part.kind === "field") text("Hint in the field", part.placeholder, (value) => edit({ kind: "hint", node, words: value }));
    else if (part.kind === "form" && part.action && !/^(#|javascript:)/.test(part.action)) {
      fields.push(make("p", { class: "soft" }, `Sends to ${part.action}`), make("button", { type: "button", class: "btn btn-line", onclick: () => edit({ kind: "take-form", node }) }, "Let Wexil take it"));
    } else if (part.kind === "section") this.#colour(part, fields, "background-color", "Background", part.background);
    return fields;
  }

  #looks(part, fields, button) {
    const { edit } = this.#host;
    this.#colour(part, fields, "color", button ? "Text colour" : "Colour", part.color);
    if (button) this.#colour(part, fields, "background-color", "Colour", part.background);
    const size = make("input", { id: "part-size", type: "number", min: "6", max: "200", step: "1", class: "form-control", onchange: () => edit({ kind: "look", node: part.id, property: "font-size", value: size.value ? `${size.value}px` : "" }) });
    size.value = Math.round(parseFloat(part.size));
    fields.push(make("div", { class: "field short" }, make("label", { class: "form-label", for: "part-size" }, "Size in pixels"), size));
    if (/(?:^|;)\s*(color|background-color|font-size)\s*:/.test(part.own)) fields.push(make("button", { type: "button", class: "btn-plain", onclick: () => this.#plain(part) }, "As the page’s style has it"));
  }

  async #plain(part) {
    for (const property of ["color", "background-color", "font-size"])
      if (new RegExp(`(?:^|;)\\s*${property}\\s*:`).test(part.own)) await this.#host.edit({ kind: "look", node: part.id, property, value: "" });
  }

  #colour(part, fields, property, label, value) {
    const id = `part-${property}`;
    const input = make("input", { id, type: "color", class: "form-control form-control-color", onchange: () => this.#host.edit({ kind: "look", node: part.id, property, value: input.value }) });
    input.value = hex(value);
    fields.push(make("div", { class: "field short" }, make("label", { class: "form-label", for: id }, label), input));
  }

  #insert(node) {
    const select = make("select", { id: "part-insert", class: "form-select" }, this.#host.blocks.cloneNode(true));
    return make("div", { class: "field" }, make("label", { class: "form-label", for: "part-insert" }, "Put a block below"),
      make("div", { class: "copyline" }, select, make("button", { type: "button", class: "btn btn-line", onclick: () => this.#host.edit({ kind: "insert", node, block: select.value }) }, "Add")));
  }

  #assets(part, node) {
    const box = make("details", { ontoggle: async () => {
      if (!box.open || box.dataset.read) return;
      box.dataset.read = "yes";
      const answer = await fetch("?handler=Pictures");
      const pictures = answer.ok ? await answer.json() : [];
      box.append(pictures.length === 0 ? make("p", { class: "soft" }, "This page has no pictures of its own yet.") : make("div", { class: "thumbs" }, ...pictures.map((picture) =>
        make("button", { type: "button", title: picture.path, onclick: () => this.#host.edit({ kind: "picture", node, alternative: part.alt ?? "", file: picture.path }) }, make("img", { src: picture.address, alt: picture.path, loading: "lazy" })))));
    } }, make("summary", {}, "From the page’s files"));
    return box;
  }

  lonely(found, width) {
    this.#lonely = found;
    this.#lonelyWidth = width;
    const old = document.querySelector("[data-lonely]");
    const box = make("div", { "data-lonely": true, class: "lonely", role: "status" }, ...found.map((line) => make("p", {},
      make("span", {}, `At ${width} pixels “${line.word}” stands alone on the last line of “${line.words}”. `),
      make("button", { type: "button", class: "btn-plain", onclick: () => this.#host.edit({ kind: "look", node: line.id, property: "text-wrap", value: "balance" }) }, "Balance the lines"))));
    if (old) old.replaceWith(box);
    else this.#part.before(box);
  }

  #alone(part, fields) {
    const line = this.#lonely.find((found) => found.id === part.id);
    if (line) fields.push(make("p", { class: "wait" }, `“${line.word}” stands alone on the last line at ${this.#lonelyWidth} pixels.`));
  }

  state({ differs, changes, name, wiring }) {
    const publish = document.querySelector(".tools .btn-go");
    publish.classList.toggle("quiet", !differs);
    publish.title = differs ? "Visitors do not see the changes yet" : "Nothing was changed since the page was published";
    const suggest = find("suggest");
    suggest.hidden = !name;
    if (name) {
      suggest.textContent = `Call it ${name}?`;
      suggest.dataset.value = name.replace(/^“|”$/g, "");
    }
    const sum = [];
    if (wiring.forms) sum.push(wiring.forms === 1 ? "1 form" : `${wiring.forms} forms`);
    if (wiring.buttons) sum.push(wiring.buttons === 1 ? "1 buy button" : `${wiring.buttons} buy buttons`);
    if (wiring.noes) sum.push("a no");
    find("wiring-sum").textContent = [sum.length ? `${sum.join(", ")} wired` : "", wiring.notes.length ? `${wiring.notes.length} to look at` : ""].filter(Boolean).join(" · ");
    find("wiring").replaceChildren(...wiring.notes.map((note) => make("p", {}, make("b", {}, note.what), " ", note.remedy, " ",
      note.node !== null && note.node !== undefined ? make("button", { type: "button", class: "btn-plain", onclick: () => this.#host.select(note.node) }, "Show it") : null,
      note.problem === "FormElsewhere" ? make("button", { type: "button", class: "btn-plain", onclick: () => this.#host.edit({ kind: "take-form", node: note.node }) }, "Let Wexil take it") : null)));
    const box = find("changes-box");
    box.hidden = !changes;
    if (!changes) return;
    if (changes.tone === "several" || changes.tone === "redesign") box.open = true;
    find("changes-tag").textContent = changes.label;
    find("changes-tag").className = `tag ${changes.tone === "one" ? "good" : changes.tone === "none" ? "" : "wait"}`;
    find("changes").textContent = `Compare · ${changes.label}`;
    find("changes-sentence").textContent = changes.sentence;
    find("changes-list").replaceChildren(...changes.list.map((change) => make("li", {}, change.node === null || change.node === undefined
      ? change.sentence : make("button", { type: "button", class: "btn-plain", onclick: () => this.#host.select(change.node) }, change.sentence))));
  }
}
