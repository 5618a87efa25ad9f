import { filesRoutes, urlOf } from "@copper-kettle/contract";
import { isObject, pictureTypes, type Json } from "@copper-kettle/core";

/** A file that a run holds, as it can be shown. */
export interface ShownFile {
  address: string;
  name: string;
  about: string;
  isPicture: boolean;
}

/** The file that a value stands for; undefined where it is none, or nobody knows whose it is. */
export function fileOf(run: string | undefined, value: Json | undefined): ShownFile | undefined {
  if (run === undefined || value === undefined || !isObject(value)) return undefined;
  const { file, name, mediaType, size } = value;
  if (typeof file !== "string" || typeof mediaType !== "string" || typeof size !== "number") return undefined;
  return {
    address: urlOf(filesRoutes.runFile, { params: { id: run, file } }),
    name: typeof name === "string" ? name : file,
    about: `${mediaType}, ${size.toLocaleString("en")} bytes`,
    isPicture: pictureTypes.has(mediaType),
  };
}
