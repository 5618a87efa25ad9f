/** Does work that pauses now and then to its end, without a pause. */
export function finished<T>(work: Generator<undefined, T, undefined>): T {
  for (;;) {
    const step = work.next();
    if (step.done === true) return step.value;
  }
}
