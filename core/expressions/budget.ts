/** How much one evaluation may do before it ends with an error of code `budget`. */
export const limits = {
  /** Nodes visited, items walked, characters compared. */
  steps: 1_000_000,
  /** Characters, bytes and items made, added up. */
  size: 8_000_000,
};

/** Thrown when a budget is spent; the evaluator turns it into a located error. */
export class BudgetSpent extends Error {
  constructor(readonly what: "steps" | "size") {
    super(
      what === "steps"
        ? `The expression does too much: more than ${limits.steps.toLocaleString("en")} steps.`
        : `The expression makes too much: more than ${limits.size.toLocaleString("en")} characters and items.`,
    );
  }
}

/** What is left for one evaluation. */
export class Budget {
  #steps = limits.steps;
  #size = limits.size;

  readonly step = (count: number): void => {
    this.#steps -= count;
    if (this.#steps < 0) throw new BudgetSpent("steps");
  };

  readonly make = (count: number): void => {
    this.#size -= count;
    if (this.#size < 0) throw new BudgetSpent("size");
  };
}
