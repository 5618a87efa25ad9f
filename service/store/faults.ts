/** A body's file is gone, or does not hold what its name says. */
export class DamagedBody extends Error {
  override name = "DamagedBody";
}

/** What SQLite and the system say when the storage cannot be written, or read, any more. */
const storageCodes =
  /^(SQLITE_(FULL|IOERR|READONLY|CANTOPEN|CORRUPT|NOTADB)|ENOSPC|EDQUOT|EFBIG|EROFS|EIO|EMFILE|ENFILE)/;

/** How the storage refuses; undefined if the error is another one. */
export function storageFault(error: unknown): string | undefined {
  const {
    code = "",
    message,
    parent,
  } = (error ?? {}) as {
    code?: string;
    message?: string;
    parent?: unknown;
  };
  if (storageCodes.test(code)) return message;
  return parent ? storageFault(parent) : undefined;
}

/** Whether a row is there already: of two writers of one journal, the second one finds the place taken. */
export function isConflict(error: unknown): boolean {
  return ((error ?? {}) as { code?: string }).code === "SQLITE_CONSTRAINT";
}
