/** A backup cannot be written, or be read; `message` says why. */
export class BackupFault extends Error {
  override name = "BackupFault";
}
