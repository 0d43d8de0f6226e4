// What of CodeMirror the source view uses, bundled once when vendored.
export { basicSetup } from "codemirror";
export { EditorView, keymap } from "@codemirror/view";
export { EditorState, Transaction } from "@codemirror/state";
export { indentWithTab } from "@codemirror/commands";
export { html } from "@codemirror/lang-html";
export { HighlightStyle, syntaxHighlighting } from "@codemirror/language";
export { tags } from "@lezer/highlight";
