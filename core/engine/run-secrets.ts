import type { ValueMap } from "../expressions/values.js";
import type { Json } from "../values/json.js";
import { leastLength, MaskSet } from "../values/masking.js";
import { ofEveryItem, placesAt, valueAt, type Path } from "../values/paths.js";

/** If more secret places than this come up together, `*` stands for them, or each template would look at each of them. */
const fewPlaces = 20;

/** The secrets that came up in one run: their values, and the places of those that are too short to be found by value. */
export class RunSecrets {
  readonly masks = new MaskSet();
  /** Paths of secrets, as expressions write them: `["steps", "token", "body", "access_token"]`. */
  readonly paths: Path[] = [];
  readonly #known = new Set<string>();

  /** Of some secrets, those that are not known yet. */
  fresh(values: readonly string[], places: readonly Path[]): { values: string[]; places: Path[] } {
    const general = places.length > fewPlaces ? places.map(ofEveryItem) : places;
    return {
      values: values.filter((value) => value.length >= leastLength && !this.masks.has(value)),
      places: [...new Map(general.map((place) => [textOf(place), place]))]
        .filter(([text]) => !this.#known.has(text))
        .map(([, place]) => place),
    };
  }

  /** Takes in secrets: they are masked from here on, in this run, for ever. */
  take(values: readonly string[], places: readonly Path[]): void {
    this.masks.add([...values]);
    for (const place of places) {
      const text = textOf(place);
      if (this.#known.has(text)) continue;
      this.#known.add(text);
      this.paths.push(place);
    }
  }

  /** Whether some paths read a secret: its own place or a part of it; or a whole that holds one too short to be found by value. */
  readBy(reads: readonly string[][], scope: ValueMap): boolean {
    return reads.some((read) =>
      this.paths.some((secret) => {
        const shorter = Math.min(read.length, secret.length);
        for (let at = 0; at < shorter; at++)
          if (read[at] !== "*" && secret[at] !== "*" && String(secret[at]) !== read[at]) return false;
        if (read.length >= secret.length) return true;
        return placesAt(scope as Json, secret).some((place) => {
          const value = valueAt(scope as Json, place);
          return typeof value === "number" || (typeof value === "string" && value.length < leastLength);
        });
      }),
    );
  }
}

const textOf = (place: Path): string => place.join("\u0000");
