// The source of the page, in step with the page: what is typed goes to the server as the stretch that changed, and what
// was changed in the page is put into the text.
import {
  basicSetup,
  EditorView,
  EditorState,
  HighlightStyle,
  Transaction,
  keymap,
  indentWithTab,
  html,
  syntaxHighlighting,
  tags,
} from "/lib/codemirror/codemirror.js";
import { line, stretch, written } from "./stretch.js";

const pause = 400;
// Wexil's own colours, dark enough on the line that is being edited too.
const colours = syntaxHighlighting(
  HighlightStyle.define([
    { tag: [tags.tagName, tags.keyword], color: "#0a5f5b" },
    { tag: [tags.attributeName, tags.propertyName], color: "#1f4f8f" },
    { tag: [tags.attributeValue, tags.string, tags.number, tags.unit], color: "#9c3a0e" },
    { tag: [tags.comment, tags.meta, tags.documentMeta], color: "#55625e" },
    { tag: [tags.className, tags.labelName], color: "#70459c" },
  ]),
);

export class SourceView {
  #view;
  #server; // the text that the server has, or is being sent
  #send;
  #timer;
  #flight = null;

  constructor(textarea, text, nonce, send) {
    this.#send = send;
    this.#server = text;
    const heard = EditorView.updateListener.of((update) => {
      if (update.docChanged && !update.transactions.some((change) => change.annotation(Transaction.remote)))
        this.#later();
    });
    this.#view = new EditorView({
      state: EditorState.create({
        doc: line(text),
        extensions: [
          basicSetup,
          html(),
          colours,
          keymap.of([indentWithTab]),
          EditorView.lineWrapping,
          EditorView.cspNonce.of(nonce),
          EditorView.contentAttributes.of({ "aria-label": "Page source" }),
          heard,
        ],
      }),
    });
    textarea.hidden = true;
    textarea.disabled = true;
    textarea.after(this.#view.dom);
  }

  show() {
    this.#view.requestMeasure();
    this.#view.focus();
  }

  // Is there anything that the server does not have?
  waits() {
    return this.#flight !== null || this.#view.state.doc.toString() !== line(this.#server);
  }

  #later() {
    clearTimeout(this.#timer);
    this.#timer = setTimeout(() => this.flush(), pause);
  }

  // Has what was typed since the last time sent. The stretch is made out when its turn comes, since what is sent before
  // moves it.
  async flush() {
    clearTimeout(this.#timer);
    if (!this.waits()) return;
    this.#flight ??= new Promise((done) => {
      let before = "";
      const make = () => {
        before = this.#server;
        const { start, end, inserted } = stretch(line(before), this.#view.state.doc.toString());
        const [from, to] = [written(before, start), written(before, end)];
        const text = before.includes("\r\n") ? inserted.replace(/\n/g, "\r\n") : inserted;
        this.#server = before.slice(0, from) + text + before.slice(to);
        return {
          kind: "source",
          start: from,
          removed: JSON.stringify(before.slice(from, to)),
          inserted: JSON.stringify(text),
        };
      };
      this.#send(make, (answer) => {
        this.#flight = null;
        if (answer.problem) this.#server = before;
        else if (this.waits()) this.#later();
        done();
      });
    });
    await this.#flight;
  }

  // Puts a change that was made elsewhere into the text.
  take(change) {
    if (!change) return;
    const text = this.#server;
    this.#server = text.slice(0, change.start) + change.inserted + text.slice(change.start + change.removed);
    const { start, end, inserted } = stretch(line(text), line(this.#server));
    if (end <= this.#view.state.doc.length)
      this.#view.dispatch({
        changes: { from: start, to: end, insert: inserted },
        annotations: Transaction.remote.of(true),
        scrollIntoView: true,
      });
  }
}
