import type { ShapeScope } from "./check-kinds.js";
import { isObject, own, type Json, type JsonObject } from "../values/json.js";
import { anything, listOf, ofKind, type Shape } from "./shape.js";

/** What is known of names, with what values of a run show where nothing else is known. For offering, not for judging. */
export function withShown(scope: ShapeScope, values: JsonObject): ShapeScope {
  return new Map([...scope].map(([name, shape]) => [name, shapeWith(shape, own(values, name))]));
}

/** Nothing of a value is looked at before somebody asks for it: it may be as long as a response. */
function shapeWith(shape: Shape, value: Json | undefined): Shape {
  if (value === undefined || value === null) return shape;
  if (isObject(value) && (shape.fields || shape.kinds === undefined)) {
    const { fields } = shape;
    return {
      ...(shape.kinds === undefined ? ofKind("object") : shape),
      fields: {
        names: () => [...new Set([...(fields?.names() ?? []), ...Object.keys(value)])],
        get: (name) => {
          const known = fields?.get(name);
          const shown = own(value, name);
          if (known) return { ...known, shape: shapeWith(known.shape, shown) };
          return shown === undefined ? undefined : { shape: shapeWith(anything, shown), sure: false };
        },
        open: fields?.open ?? true,
      },
    };
  }
  if (Array.isArray(value) && (shape.items || shape.kinds === undefined)) {
    const { items } = shape;
    const list = listOf(() => shapeWith(items?.() ?? anything, value[0]));
    return shape.kinds === undefined ? list : { ...shape, items: list.items };
  }
  if (shape.kinds !== undefined) return shape;
  const kind = typeof value === "string" ? "text" : typeof value === "boolean" ? "boolean" : "number";
  return isObject(value) || Array.isArray(value) ? shape : ofKind(kind);
}
