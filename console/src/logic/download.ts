/** Gives a text to the browser as a file to be saved. */
export function download(name: string, text: string, type: string): void {
  const address = URL.createObjectURL(new Blob([text], { type }));
  const link = document.createElement("a");
  link.href = address;
  link.download = name;
  link.click();
  // The browser has begun to read it by then.
  setTimeout(() => URL.revokeObjectURL(address), 10_000);
}
