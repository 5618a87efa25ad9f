/** What was known at one moment; nothing that came later is in it. */
export interface AsOf<T> {
  names: () => string[];
  get: (name: string) => T | undefined;
  readonly moment: number;
}

interface Noted<T> {
  moment: number;
  value: T;
}

/**
 * Names with what is known of each, which grows as a file is read. Whoever looks keeps what was known then, and it
 * takes the same time however much is known.
 */
export class KnownNames<T> {
  readonly #noted = new Map<string, Noted<T>[]>();
  #moment = 0;

  get isEmpty(): boolean {
    return this.#noted.size === 0;
  }

  /** It changes with everything that is noted. */
  get moment(): number {
    return this.#moment;
  }

  set(name: string, value: T): void {
    const noted = { moment: ++this.#moment, value };
    const before = this.#noted.get(name);
    if (before) before.push(noted);
    else this.#noted.set(name, [noted]);
  }

  asOfNow(): AsOf<T> {
    const moment = this.#moment;
    const isKnown = (one: Noted<T> | undefined) => one !== undefined && one.moment <= moment;
    return {
      moment,
      names: () => [...this.#noted].filter(([, all]) => isKnown(all[0])).map(([name]) => name),
      get: (name) => this.#noted.get(name)?.findLast(isKnown)?.value,
    };
  }

  /** The names that were not known at a moment, with what is known of them now. */
  since({ moment }: AsOf<T>): [name: string, value: T][] {
    return [...this.#noted].flatMap(([name, all]): [string, T][] => {
      const last = all.at(-1);
      return last && (all[0] as Noted<T>).moment > moment ? [[name, last.value]] : [];
    });
  }

  /** Another that knows the same, and to which others may be added. */
  copy(): KnownNames<T> {
    const copy = new KnownNames<T>();
    for (const [name, all] of this.#noted) copy.set(name, (all.at(-1) as Noted<T>).value);
    return copy;
  }
}
