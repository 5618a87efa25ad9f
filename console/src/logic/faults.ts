import { watch, type Ref } from "vue";

/**
 * Takes the fault of a field away as soon as that field changes, so that no form says what is no longer so.
 * @param values the fields under the names that faults have; a fault of none of them goes with any change
 */
export function forgetMended(
  faults: Ref<Record<string, string>>,
  values: () => Record<string, unknown>,
  general?: Ref<string>,
): void {
  let before = printed(values());
  watch(
    values,
    (next) => {
      const now = printed(next);
      const last = before;
      before = now;
      if (Object.keys(now).every((name) => now[name] === last[name])) return;
      faults.value = stillTrue(faults.value, last, now);
      if (general && Object.keys(faults.value).length === 0) general.value = "";
    },
    { deep: true },
  );
}

type Printed = Record<string, string | undefined>;

const printed = (values: Record<string, unknown>): Printed =>
  Object.fromEntries(Object.entries(values).map(([name, value]) => [name, JSON.stringify(value) ?? ""]));

/** The faults whose fields are as they were. A fault of `hosts.2` is one of the field `hosts`. */
export function stillTrue(
  faults: Record<string, string>,
  before: Printed,
  now: Printed,
): Record<string, string> {
  const fieldOf = (fault: string): string | undefined =>
    Object.keys(now)
      .filter((name) => fault === name || fault.startsWith(`${name}.`) || fault.startsWith(`${name}[`))
      .sort((a, b) => b.length - a.length)[0];
  return Object.fromEntries(
    Object.entries(faults).filter(([fault]) => {
      const field = fieldOf(fault);
      return field !== undefined && before[field] === now[field];
    }),
  );
}
