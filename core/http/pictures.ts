/** The media types of pictures that a browser shows, and in which nothing can run: not SVG. */
export const pictureTypes: ReadonlySet<string> = new Set([
  "image/png",
  "image/jpeg",
  "image/gif",
  "image/webp",
]);
