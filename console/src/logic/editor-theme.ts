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
  ".cm-activeLine, .cm-activeLineGutter": { backgroundColor: "var(--soft)" },
  ".cm-cursor": { borderLeftColor: "currentColor" },
  "&.cm-focused .cm-selectionBackground, .cm-selectionBackground": {
    backgroundColor: "var(--line) !important",
  },
  ".cm-tooltip.cm-tooltip-autocomplete > ul": { maxWidth: "min(520px, 90vw)", maxHeight: "16em" },
  ".cm-tooltip.cm-tooltip-autocomplete > ul > li": {
    padding: "3px 10px",
    overflow: "hidden",
    textOverflow: "ellipsis",
  },
  ".cm-completionDetail": { fontStyle: "normal", opacity: "0.8" },
  ".cm-tooltip-autocomplete ul li[aria-selected]": {
    backgroundColor: "rgb(var(--v-theme-primary))",
    color: "rgb(var(--v-theme-surface))",
  },
  ".cx-hole": { color: "rgb(var(--v-theme-primary))", borderBottom: "1px dotted rgb(var(--v-theme-dim))" },
  ".cx-text": { color: "rgb(var(--v-theme-success))" },
  ".cx-number": { color: "rgb(var(--v-theme-info))" },
  ".cx-root": { color: "rgb(var(--v-theme-primary))" },
  ".cx-call": { color: "rgb(var(--v-theme-secondary))" },
  ".cm-tooltip": {
    backgroundColor: "rgb(var(--v-theme-surface))",
    color: "rgb(var(--v-theme-on-surface))",
    border: "1px solid var(--line)",
  },
});
