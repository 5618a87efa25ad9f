const colours = { 31: "#e2857e", 32: "#7cbf97", 33: "#d3b259", 34: "#8fb3cf", 35: "#c9a0c9", 36: "#7fb3a8" };

/** HTML of a terminal that shows commands and what they printed, with the colours of their escape codes. */
export function terminalPage(lines) {
  const body = lines
    .map(({ typed, printed }) => `<b>$ ${escapeHtml(typed)}</b>\n${painted(printed.trimEnd())}\n`)
    .join("\n");
  return `<!doctype html><meta charset="utf-8"><style>
    body { margin: 0; background: #14181a; color: #dfe4e5; }
    pre { margin: 0; padding: 18px 22px; font: 14px/1.45 "DejaVu Sans Mono", monospace; white-space: pre-wrap; }
    b { color: #c79270; font-weight: 600; }
  </style><pre>${body}</pre>`;
}

function escapeHtml(text) {
  return text.replaceAll("&", "&amp;").replaceAll("<", "&lt;").replaceAll(">", "&gt;");
}

// eslint-disable-next-line no-control-regex
const escapeCode = /\u001b\[(\d+)m/g;

function painted(text) {
  let open = 0;
  const html = escapeHtml(text).replace(escapeCode, (_, code) => {
    if (code === "39" || code === "22" || code === "0") return open-- > 0 ? "</span>" : "";
    open++;
    if (code === "1") return '<span style="font-weight:700">';
    if (code === "2") return '<span style="opacity:.65">';
    return `<span style="color:${colours[code] ?? "inherit"}">`;
  });
  return html + "</span>".repeat(Math.max(0, open));
}
