/** A certificate as it is typed or picked. */
export interface CertificateForm {
  certificate: string;
  privateKey: string;
  passphrase: string;
  /** A PKCS#12 file, in Base64; instead of both. */
  pkcs12: string;
  authority: string;
}

/** A mapping as lines of `name: value`. */
export function linesOf(map: Record<string, string>, between: string): string {
  return Object.entries(map)
    .map(([name, value]) => `${name}${between}${value}`)
    .join("\n");
}

/** A secret that was typed; one that was left blank is not sent, so that the saved one stays. */
export function typed<K extends string>(field: K, value: string): Partial<Record<K, string>> {
  return value === "" ? {} : ({ [field]: value } as Record<K, string>);
}

export function certificateFields({
  certificate,
  privateKey,
  passphrase,
  pkcs12,
  authority,
}: CertificateForm) {
  return {
    ...(pkcs12 ? { pkcs12 } : typed("certificate", certificate)),
    ...(pkcs12 ? {} : typed("privateKey", privateKey)),
    ...typed("passphrase", passphrase),
    ...typed("authority", authority),
  };
}

/** Names separated by commas or spaces. */
export function namesOf(text: string): string[] {
  return text.split(/[\s,]+/).filter(Boolean);
}

/** Lines of `name: value` or `name=value`; a fault for one that is neither. */
export function readLines(
  text: string,
  between: ":" | "=",
  field: string,
  faults: Record<string, string>,
): Record<string, string> {
  const map: Record<string, string> = {};
  for (const line of text.split("\n").filter((one) => one.trim() !== "")) {
    const match = new RegExp(`^\\s*([\\w.-]+)\\s*${between}\\s*(.*)$`).exec(line);
    if (match) map[match[1] as string] = match[2] as string;
    else
      faults[field] =
        between === ":"
          ? `"${line}" is not a header; write Name: value.`
          : `"${line}" is not a parameter; write name=value.`;
  }
  return map;
}
