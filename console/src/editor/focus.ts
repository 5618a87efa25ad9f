import { nextTick } from "vue";

/** Puts the focus into a field that was just added, as soon as it is drawn. */
export async function focusField(root: HTMLElement | undefined | null, key: string): Promise<void> {
  await nextTick();
  root
    ?.querySelector<HTMLElement>(
      `[data-field="${CSS.escape(key)}"] :is(.cm-content, input:not([type=checkbox], [type=hidden]), textarea)`,
    )
    ?.focus();
}
