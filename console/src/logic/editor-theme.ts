import { EditorView } from "codemirror";

/** How texts are edited: the mono face, on whatever ground the theme has. */
export const editorTheme = EditorView.theme({
  "&": { fontSize: "13px", height: "100%" },
  ".cm-scroller": { fontFamily: "var(--mono)" },
  ".cm-gutters": {
    backgroundColor: "rgb(var(--v-theme-surface))",
    color: "rgba(var(--v-theme-on-surface), 0.6)",
    border: "none",
  },
  ".cm-activeLine, .cm-activeLineGutter": { backgroundColor: "rgba(128,128,128,0.1)" },
  ".cm-cursor": { borderLeftColor: "currentColor" },
  "&.cm-focused .cm-selectionBackground, .cm-selectionBackground": {
    backgroundColor: "rgba(128,128,128,0.3) !important",
  },
  ".cm-tooltip-autocomplete ul li": { padding: "2px 8px" },
  ".cm-tooltip-autocomplete ul li[aria-selected]": {
    backgroundColor: "rgb(var(--v-theme-primary))",
    color: "rgb(var(--v-theme-surface))",
  },
  ".cm-tooltip": {
    backgroundColor: "rgb(var(--v-theme-surface))",
    color: "rgb(var(--v-theme-on-surface))",
    border: "1px solid rgba(128,128,128,0.4)",
  },
});
