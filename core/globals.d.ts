// The few globals that browsers and Node share and the core uses. No other global is visible here.
declare class TextEncoder {
  encode(input?: string): Uint8Array;
}
declare class TextDecoder {
  constructor(label?: string, options?: { fatal?: boolean });
  decode(input?: Uint8Array, options?: { stream?: boolean }): string;
}
declare class URL {
  static canParse(url: string, base?: string): boolean;
  constructor(url: string, base?: string);
  href: string;
  protocol: string;
  host: string;
  hostname: string;
  port: string;
  pathname: string;
  search: string;
  origin: string;
  username: string;
  password: string;
}
declare class AbortSignal {
  readonly aborted: boolean;
  readonly reason: unknown;
}
