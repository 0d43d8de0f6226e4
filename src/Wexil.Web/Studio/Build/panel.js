// The panel beside the page: what is selected and what can be done with it, the parts of the page, its wiring and its
// changes.
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
  return (
    "#" +
    parts
      .slice(1, 4)
      .map((part) => Number(part).toString(16).padStart(2, "0"))
      .join("")
  );
}

export class Panel {
  #host;
  #part = find("part");
  #list = find("parts");
  #lonely = [];
  #lonelyWidth = 0;
  #shown = null;
  #waiting = null;

  constructor(host) {
    this.#host = host;
    this.#part.addEventListener("focusout", () => setTimeout(() => this.#catchUp()));
  }

  // Is there anything in a field that was not sent yet?
  isTyping() {
    const field = document.activeElement;
    return this.#part.contains(field) && field.dataset.sent !== undefined && field.value !== field.dataset.sent;
  }

  focus() {
    (this.#part.querySelector("input, textarea, select, button") ?? this.#part).focus();
  }

  parts(parts) {
    this.#list.replaceChildren(
      ...parts.map((part) =>
        make(
          "li",
          {},
          make(
            "button",
            {
              type: "button",
              class: `btn-plain level-${Math.min(part.level, 5)}`,
              "data-key": part.key,
              onclick: () => this.#host.select({ key: part.key }),
            },
            make("b", {}, part.name),
            " ",
            make("span", {}, part.words),
            part.hidden ? make("em", {}, " hidden") : null,
          ),
        ),
      ),
    );
    this.#pressed();
  }

  #pressed() {
    for (const button of this.#list.querySelectorAll("button")) {
      const on = this.#shown !== null && Number(button.dataset.key) === this.#shown.key;
      button.setAttribute("aria-current", on ? "true" : "false");
      if (on) this.#reveal(button);
    }
  }

  // Brings a part into sight within the list. The window stays where it is, under the hand that clicks.
  #reveal(button) {
    const [list, own] = [this.#list.getBoundingClientRect(), button.getBoundingClientRect()];
    if (own.top < list.top) this.#list.scrollTop -= list.top - own.top;
    else if (own.bottom > list.bottom) this.#list.scrollTop += own.bottom - list.bottom;
  }

  // Shows a part. The same one as it is after an edit is shown once nobody is in one of its fields any more.
  show(part, { isAgain = false } = {}) {
    if (
      isAgain &&
      part?.key === this.#shown?.key &&
      this.#part.contains(document.activeElement) &&
      document.activeElement !== this.#part
    ) {
      this.#waiting = part;
      this.#shown.node = part.node;
      return;
    }
    this.#waiting = null;
    this.#shown = part;
    if (!part) {
      this.#part.replaceChildren(
        make("p", { class: "soft" }, "Click anything on the page to edit it. Click text to type in it."),
      );
      this.#pressed();
      return;
    }
    const edit = (fields) =>
      this.#host.edit(this.#shown, fields, part.words ? `${part.name} “${part.words}”` : part.name);
    const trail =
      part.trail.length === 0
        ? null
        : make(
            "p",
            { class: "soft trail" },
            "in ",
            ...part.trail.flatMap((up, i) => [
              i > 0 ? " in " : "",
              make(
                "button",
                { type: "button", class: "btn-plain", onclick: () => this.#host.select({ key: up.key }) },
                up.words ? `${up.name} “${up.words}”` : up.name,
              ),
            ]),
          );
    this.#part.replaceChildren(
      make("h2", {}, part.name, part.hidden ? make("em", { class: "soft" }, " hidden") : ""),
      ...(trail ? [trail] : []),
      ...this.#fields(part, edit),
      make(
        "div",
        { class: "actions", role: "group", "aria-label": "Actions" },
        make(
          "button",
          {
            type: "button",
            class: "btn btn-line",
            title: "Move up (Alt ↑)",
            onclick: () => edit({ kind: "move", down: false }),
          },
          "↑",
          make("span", { class: "visually-hidden" }, " Move up"),
        ),
        make(
          "button",
          {
            type: "button",
            class: "btn btn-line",
            title: "Move down (Alt ↓)",
            onclick: () => edit({ kind: "move", down: true }),
          },
          "↓",
          make("span", { class: "visually-hidden" }, " Move down"),
        ),
        make(
          "button",
          {
            type: "button",
            class: "btn btn-line",
            title: "Duplicate (Ctrl D)",
            onclick: () => edit({ kind: "duplicate" }),
          },
          "Duplicate",
        ),
        part.hidden
          ? make("button", { type: "button", class: "btn btn-line", onclick: () => edit({ kind: "show" }) }, "Show")
          : make("button", { type: "button", class: "btn btn-line", onclick: () => edit({ kind: "hide" }) }, "Hide"),
        make(
          "button",
          { type: "button", class: "btn btn-line", title: "Remove (Del)", onclick: () => edit({ kind: "remove" }) },
          "Remove",
        ),
      ),
      this.#insert(edit),
      this.#section(part),
    );
    this.#pressed();
  }

  // A part that is a section leads to its versions; any other part can be made one.
  #section(part) {
    const { sections } = document.querySelector("[data-editor]").dataset;
    if (!sections) return "";
    if (part.section)
      return make(
        "p",
        {},
        make("a", { href: `${sections}/${encodeURIComponent(part.section)}/build` }, "Variations of this section"),
      );
    const name = make("input", { id: "part-section", class: "form-control", maxlength: "120", placeholder: part.name });
    const mark = (words, fallback, withNext) =>
      make(
        "button",
        {
          type: "button",
          class: "btn btn-line",
          onclick: (event) => {
            this.#host.section(this.#shown, name.value.trim() || fallback, withNext);
            // What is left of the panel is shown anew once nobody is in it.
            event.currentTarget.blur();
          },
        },
        words,
      );
    return make(
      "details",
      { class: "deeper" },
      make("summary", {}, "Test variations of this element"),
      make("label", { class: "form-label", for: "part-section" }, "Section name"),
      name,
      make(
        "div",
        { class: "actions" },
        mark("Make it a section", part.name, false),
        part.next ? mark("Test the other order", `Order of ${part.name}`, true) : "",
      ),
      part.next ? make("p", { class: "soft" }, `The other order: first ${part.next}, then this element.`) : "",
    );
  }

  #catchUp() {
    if (this.#waiting && !this.#part.contains(document.activeElement)) this.show(this.#waiting);
  }

  #fields(part, edit) {
    const fields = [];
    const text = (label, value, change, more = {}) => {
      const id = `part-${label.replace(/\W+/g, "-").toLowerCase()}`;
      const input = make(more.rows ? "textarea" : "input", {
        id,
        class: "form-control",
        ...more,
        onchange: () => {
          input.dataset.sent = input.value;
          change(input.value);
        },
      });
      input.value = input.dataset.sent = value ?? "";
      fields.push(make("div", { class: "field" }, make("label", { class: "form-label", for: id }, label), input));
      return input;
    };
    if (part.kind === "text") {
      fields.push(
        make(
          "button",
          {
            type: "button",
            class: "btn btn-line",
            onclick: () => this.#host.select({ key: part.key }, { type: true }),
          },
          "Edit text",
        ),
      );
      this.#alone(part, fields);
      this.#looks(part, fields, edit, false);
    } else if (part.kind === "button") {
      if (part.tag === "input") text("Button text", part.text, (value) => edit({ kind: "hint", words: value }));
      else if (part.plain) text("Button text", part.text, (value) => edit({ kind: "text", html: escape(value) }));
      if (part.tag === "a") {
        const role = make(
          "select",
          { id: "part-role", class: "form-select", onchange: () => edit({ kind: "role", role: role.value }) },
          make("option", { value: "" }, "Link"),
          make("option", { value: "buy" }, "Buy button"),
          make("option", { value: "no" }, "“No, thanks” link"),
        );
        role.value = part.role;
        fields.push(
          make("div", { class: "field" }, make("label", { class: "form-label", for: "part-role" }, "Use as"), role),
        );
        text(
          part.role ? "Checkout address (empty: next step)" : "Links to",
          part.href,
          (value) => edit({ kind: "address", to: value }),
          { inputmode: "url", spellcheck: "false" },
        );
      }
      this.#looks(part, fields, edit, true);
    } else if (part.kind === "picture") {
      text("Alt text (for visitors who cannot see it)", part.alt, (value) =>
        edit({ kind: "picture", alternative: value, file: "" }),
      );
      const file = make("input", {
        id: "part-file",
        type: "file",
        class: "form-control",
        accept: "image/*",
        onchange: () => file.files[0] && this.#host.picture(this.#shown, part.alt ?? "", file.files[0]),
      });
      fields.push(
        make(
          "div",
          { class: "field" },
          make("label", { class: "form-label", for: "part-file" }, "Replace picture"),
          file,
        ),
      );
      fields.push(this.#assets((path) => edit({ kind: "picture", alternative: part.alt ?? "", file: path })));
      const fromAddress = (value) => edit({ kind: "picture", alternative: part.alt ?? "", file: value });
      text("Or picture address", part.src, fromAddress, {
        inputmode: "url",
        spellcheck: "false",
      });
    } else if (part.kind === "video")
      text("Video address", part.src, (value) => edit({ kind: "address", to: value }), {
        inputmode: "url",
        spellcheck: "false",
      });
    else if (part.kind === "field")
      text("Placeholder text", part.placeholder, (value) => edit({ kind: "hint", words: value }));
    else if (part.kind === "form" && part.action && !/^(#|javascript:)/.test(part.action)) {
      fields.push(
        make("p", { class: "soft" }, `Sends to ${part.action}`),
        make(
          "button",
          { type: "button", class: "btn btn-line", onclick: () => edit({ kind: "take-form" }) },
          "Send sign-ups to Wexil",
        ),
      );
    } else if (part.kind === "section")
      this.#colour(part, fields, edit, "background-color", "Background", part.background);
    if (part.picture) this.#background(part, fields, edit);
    return fields;
  }

  // A picture behind the part, wherever its style is written: the page gets a rule of its own for it.
  #background(part, fields, edit) {
    const file = make("input", {
      id: "part-background-file",
      type: "file",
      class: "form-control",
      accept: "image/*",
      onchange: () => file.files[0] && this.#host.background(this.#shown, file.files[0]),
    });
    fields.push(
      make(
        "div",
        { class: "field" },
        make("label", { class: "form-label", for: "part-background-file" }, "Replace background picture"),
        file,
      ),
      make("p", { class: "soft" }, `Now: ${decodeURIComponent(part.picture.split("/").pop())}`),
      this.#assets((path) => edit({ kind: "background", file: path })),
    );
  }

  #looks(part, fields, edit, button) {
    this.#colour(part, fields, edit, "color", button ? "Text color" : "Color", part.color);
    if (button) this.#colour(part, fields, edit, "background-color", "Color", part.background);
    const size = make("input", {
      id: "part-size",
      type: "number",
      min: "6",
      max: "200",
      step: "1",
      class: "form-control",
      onchange: () => edit({ kind: "look", property: "font-size", value: size.value ? `${size.value}px` : "" }),
    });
    size.value = Math.round(parseFloat(part.size));
    fields.push(
      make(
        "div",
        { class: "field short" },
        make("label", { class: "form-label", for: "part-size" }, "Size in pixels"),
        size,
      ),
    );
    if (/(?:^|;)\s*(color|background-color|font-size)\s*:/.test(part.own))
      fields.push(
        make(
          "button",
          { type: "button", class: "btn-plain", onclick: () => this.#plain(part, edit) },
          "Reset to page style",
        ),
      );
  }

  #plain(part, edit) {
    for (const property of ["color", "background-color", "font-size"])
      if (new RegExp(`(?:^|;)\\s*${property}\\s*:`).test(part.own)) edit({ kind: "look", property, value: "" });
  }

  #colour(part, fields, edit, property, label, value) {
    const id = `part-${property}`;
    const input = make("input", {
      id,
      type: "color",
      class: "form-control form-control-color",
      onchange: () => edit({ kind: "look", property, value: input.value }),
    });
    input.value = hex(value);
    fields.push(make("div", { class: "field short" }, make("label", { class: "form-label", for: id }, label), input));
  }

  #insert(edit) {
    const select = make("select", { id: "part-insert", class: "form-select" }, this.#host.blocks.cloneNode(true));
    return make(
      "div",
      { class: "field" },
      make("label", { class: "form-label", for: "part-insert" }, "Add a block below"),
      make(
        "div",
        { class: "copyline" },
        select,
        make(
          "button",
          { type: "button", class: "btn btn-line", onclick: () => edit({ kind: "insert", block: select.value }) },
          "Add",
        ),
      ),
    );
  }

  #assets(choose) {
    const box = make(
      "details",
      {
        ontoggle: async () => {
          if (!box.open || box.dataset.read) return;
          box.dataset.read = "yes";
          const answer = await fetch("?handler=Pictures");
          const pictures = answer.ok ? await answer.json() : [];
          box.append(
            pictures.length === 0
              ? make("p", { class: "soft" }, "This page has no pictures yet.")
              : make(
                  "div",
                  { class: "thumbs" },
                  ...pictures.map((picture) =>
                    make(
                      "button",
                      { type: "button", title: picture.path, onclick: () => choose(picture.path) },
                      make("img", { src: picture.address, alt: picture.path, loading: "lazy" }),
                    ),
                  ),
                ),
          );
        },
      },
      make("summary", {}, "Choose from the page’s files"),
    );
    return box;
  }

  lonely(found, width) {
    this.#lonely = found;
    this.#lonelyWidth = width;
    const old = document.querySelector("[data-lonely]");
    const box = make(
      "div",
      { "data-lonely": true, class: "lonely", role: "status" },
      ...found.map((line) =>
        make(
          "p",
          {},
          make("span", {}, `At ${width} pixels “${line.word}” is alone on the last line of “${line.words}”. `),
          make(
            "button",
            {
              type: "button",
              class: "btn-plain",
              onclick: () =>
                this.#host.edit(
                  { key: line.key, node: line.node },
                  { kind: "look", property: "text-wrap", value: "balance" },
                ),
            },
            "Balance the lines",
          ),
        ),
      ),
    );
    if (old) old.replaceWith(box);
    else this.#part.before(box);
  }

  #alone(part, fields) {
    const line = this.#lonely.find((found) => found.key === part.key);
    if (line)
      fields.push(
        make("p", { class: "wait" }, `“${line.word}” is alone on the last line at ${this.#lonelyWidth} pixels.`),
      );
  }

  state({ revision, differs, changes, name, wiring }) {
    const publish = document.querySelector(".tools .btn-go");
    publish.classList.toggle("quiet", !differs);
    publish.title = differs
      ? "Changes not published yet"
      : "No changes since the last publish";
    const suggest = find("suggest");
    suggest.hidden = !name;
    if (name) {
      suggest.textContent = `Rename to ${name}?`;
      suggest.dataset.value = name.replace(/^“|”$/g, "");
    }
    const sum = [];
    if (wiring.forms) sum.push(wiring.forms === 1 ? "1 form" : `${wiring.forms} forms`);
    if (wiring.buttons) sum.push(wiring.buttons === 1 ? "1 buy button" : `${wiring.buttons} buy buttons`);
    if (wiring.noes) sum.push("1 “no” link");
    find("wiring-sum").textContent = [
      sum.length ? `${sum.join(", ")} connected` : "",
      wiring.notes.length ? `${wiring.notes.length} to check` : "",
    ]
      .filter(Boolean)
      .join(" · ");
    find("wiring").replaceChildren(
      ...wiring.notes.map((note) =>
        make(
          "p",
          {},
          make("b", {}, note.what),
          " ",
          note.remedy,
          " ",
          note.node !== null && note.node !== undefined
            ? make(
                "button",
                { type: "button", class: "btn-plain", onclick: () => this.#host.select({ node: note.node }) },
                "Show it",
              )
            : null,
          note.problem === "FormElsewhere"
            ? make(
                "button",
                {
                  type: "button",
                  class: "btn-plain",
                  onclick: () => this.#host.editNode(revision, { kind: "take-form", node: note.node }),
                },
                "Send sign-ups to Wexil",
              )
            : null,
        ),
      ),
    );
    const box = find("changes-box");
    box.hidden = !changes;
    if (!changes) return;
    if (changes.tone === "several" || changes.tone === "redesign") box.open = true;
    find("changes-tag").textContent = changes.label;
    find("changes-tag").className = `tag ${changes.tone === "one" ? "good" : changes.tone === "none" ? "" : "wait"}`;
    find("changes-sentence").textContent = changes.sentence;
    find("changes-list").replaceChildren(
      ...changes.list.map((change) =>
        make(
          "li",
          {},
          change.node === null || change.node === undefined
            ? change.sentence
            : make(
                "button",
                { type: "button", class: "btn-plain", onclick: () => this.#host.select({ node: change.node }) },
                change.sentence,
              ),
        ),
      ),
    );
  }
}
