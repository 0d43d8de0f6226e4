// The source of the page, in step with the page: what is typed goes to the server as the stretch that changed, and what was changed
// in the page is put into the text.
import { basicSetup, EditorView, EditorState, HighlightStyle, Transaction, keymap, indentWithTab, html, syntaxHighlighting, tags } from "/lib/codemirror/codemirror.js";

const pause = 400;
// Wexil's own colours, dark enough on the line that is being edited too.
const colours = syntaxHighlighting(HighlightStyle.define([
  { tag: [tags.tagName, tags.keyword], color: "#0a5f5b" },
  { tag: [tags.attributeName, tags.propertyName], color: "#1f4f8f" },
  { tag: [tags.attributeValue, tags.string, tags.number, tags.unit], color: "#9c3a0e" },
  { tag: [tags.comment, tags.meta, tags.documentMeta], color: "#55625e" },
  { tag: [tags.className, tags.labelName], color: "#70459c" },
]));
const line = (text) => text.replace(/\r\n?/g, "\n");

export class SourceView {
  #view;
  #sent;
  #send;
  #timer;
  #crlf;

  constructor(textarea, text, nonce, send) {
    this.#send = send;
    // CodeMirror counts every line end as one character; a page with CR LF keeps them.
    this.#crlf = text.includes("\r\n");
    this.#sent = line(text);
    const heard = EditorView.updateListener.of((update) => {
      if (!update.docChanged || update.transactions.some((change) => change.annotation(Transaction.remote))) return;
      clearTimeout(this.#timer);
      this.#timer = setTimeout(() => this.flush(), pause);
    });
    this.#view = new EditorView({
      state: EditorState.create({
        doc: this.#sent,
        extensions: [basicSetup, html(), colours, keymap.of([indentWithTab]), EditorView.lineWrapping, EditorView.cspNonce.of(nonce), EditorView.contentAttributes.of({ "aria-label": "Source of the page" }), heard],
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

  waits() {
    return this.#view.state.doc.toString() !== this.#sent;
  }

  // Sends what was typed since the last time.
  flush() {
    clearTimeout(this.#timer);
    const now = this.#view.state.doc.toString();
    if (now === this.#sent) return;
    const before = this.#outside(this.#sent);
    const after = this.#outside(now);
    let start = 0;
    while (start < before.length && start < after.length && before[start] === after[start]) start++;
    let end = 0;
    while (end < before.length - start && end < after.length - start && before[before.length - 1 - end] === after[after.length - 1 - end]) end++;
    this.#sent = now;
    this.#send({ start, removed: before.length - start - end, inserted: after.slice(start, after.length - end) });
  }

  // Puts a change that was made elsewhere into the text.
  take(change) {
    if (!change) return;
    const text = this.#outside(this.#sent);
    const next = line(text.slice(0, change.start) + change.inserted + text.slice(change.start + change.removed));
    const old = this.#view.state.doc.toString();
    let start = 0;
    while (start < old.length && start < next.length && old[start] === next[start]) start++;
    let end = 0;
    while (end < old.length - start && end < next.length - start && old[old.length - 1 - end] === next[next.length - 1 - end]) end++;
    this.#sent = next;
    this.#view.dispatch({ changes: { from: start, to: old.length - end, insert: next.slice(start, next.length - end) }, annotations: Transaction.remote.of(true), scrollIntoView: true });
  }

  #outside(text) {
    return this.#crlf ? text.replace(/\n/g, "\r\n") : text;
  }
}
