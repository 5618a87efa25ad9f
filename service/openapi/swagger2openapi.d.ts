declare module "swagger2openapi" {
  interface Converted {
    openapi: Record<string, unknown>;
  }
  export function convertObj(
    document: object,
    options: { patch?: boolean; warnOnly?: boolean; resolve?: boolean; anchors?: boolean },
  ): Promise<Converted>;
}
