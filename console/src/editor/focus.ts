import { nextTick } from "vue";

/** Puts the focus into a field that was just added, as soon as it is drawn: where its value is typed. */
export async function focusField(root: HTMLElement | undefined | null, key: string): Promise<void> {
  await nextTick();
  const field = root?.querySelector<HTMLElement>(`[data-field="${CSS.escape(key)}"]`);
  const place =
    field?.querySelector<HTMLElement>(".cm-content") ??
    field?.querySelector<HTMLElement>("input:not([type=checkbox], [type=hidden]), textarea");
  place?.focus();
}
