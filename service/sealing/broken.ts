/** A sealed value cannot be opened: the key is another one, or the bytes were changed. */
export class SealBroken extends Error {
  override name = "SealBroken";
}
