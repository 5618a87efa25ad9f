import { workflowsRoutes } from "@copper-kettle/contract";
import { shallowRef, type ShallowRef } from "vue";
import { api } from "../api.js";

/** What people call the workflows. */
export interface Titles {
  /** By name, in the order of the list; empty until they are read. */
  titles: Readonly<ShallowRef<ReadonlyMap<string, string>>>;
  /** The title; the name of one that has none, or is not known. */
  titleOf(workflow: string): string;
  /** Reads them; without an answer nothing changes. */
  read(): Promise<void>;
}

/** The titles of all workflows, for pages that show more than one, or another thing of one. */
export function useTitles(): Titles {
  const titles = shallowRef<ReadonlyMap<string, string>>(new Map());
  return {
    titles,
    titleOf: (workflow) => titles.value.get(workflow) ?? workflow,
    async read() {
      const { workflows } = await api
        .call(workflowsRoutes.listWorkflows)
        .catch(() => ({ workflows: undefined }));
      if (workflows) titles.value = new Map(workflows.map(({ name, title }) => [name, title ?? name]));
    },
  };
}
