/** Work that must not go on twice at once, by a key: each waits until the one before it is over. */
export class OneAtATime {
  readonly #last = new Map<string, Promise<unknown>>();

  run<T>(work: () => Promise<T>, key = ""): Promise<T> {
    const done = (this.#last.get(key) ?? Promise.resolve()).then(work, work);
    this.#last.set(key, done);
    const forget = (): void => {
      if (this.#last.get(key) === done) this.#last.delete(key);
    };
    done.then(forget, forget);
    return done;
  }
}
