import dagre from "@dagrejs/dagre";
import type { EditorLine } from "@copper-kettle/core";

/** A picture of a workflow, in pixels. */
export interface Drawing {
  width: number;
  height: number;
  nodes: {
    id: string;
    name: string;
    kind: string;
    title: string;
    summary: string;
    x: number;
    y: number;
    width: number;
    height: number;
    isTrigger: boolean;
  }[];
  frames: { id: string; label: string; x: number; y: number; width: number; height: number }[];
  edges: { id: string; path: string; label: string; x: number; y: number; isSide: boolean }[];
}

const [width, height] = [220, 42];
const shortly = (text: string, most: number): string =>
  text.length > most ? `${text.slice(0, most - 1)}…` : text;

interface Flow {
  from: string;
  label: string;
  isSide?: boolean;
}

/** Lays the lines of an outline out, top down: branches side by side, loops as frames, catches as side paths. */
export function drawing(lines: readonly EditorLine[]): Drawing {
  const graph = new dagre.graphlib.Graph({ compound: true, multigraph: true });
  graph.setGraph({ rankdir: "TB", nodesep: 26, ranksep: 34, marginx: 16, marginy: 16 });
  graph.setDefaultEdgeLabel(() => ({}));
  const shown = new Map<string, EditorLine>();
  const frames = new Map<string, string>();
  let count = 0;
  const connect = (flows: readonly Flow[], to: string): void => {
    for (const { from, label, isSide } of flows)
      graph.setEdge(
        from,
        to,
        { label, isSide: isSide === true, width: label.length * 6, height: 12, labelpos: "c" },
        String(count++),
      );
  };
  const node = (line: EditorLine, frame: string | undefined): void => {
    shown.set(line.id, line);
    graph.setNode(line.id, { width, height });
    if (frame !== undefined) graph.setParent(line.id, frame);
  };
  const childrenOf = (prefix: string, what: EditorLine["what"]): EditorLine[] =>
    lines.filter((line) => line.what === what && parentOf(line.id) === prefix);

  /** The steps of a list after what leads to them; gives what leads on. */
  const list = (id: string, before: readonly Flow[], frame: string | undefined): Flow[] => {
    let flows = [...before];
    for (const step of childrenOf(id, "step")) {
      node(step, frame);
      connect(flows, step.id);
      flows = [{ from: step.id, label: "" }];
      const branches = lines.filter(
        (line) => line.what === "branch" && line.id.startsWith(`${step.id}.`) && stepOf(line.id) === step.id,
      );
      const own = branches.filter(({ kind }) => kind !== "catch");
      if (step.kind === "each" || step.kind === "group") {
        const inside = step.kind === "each" ? `${step.id}.steps` : `${step.id}.group.steps`;
        if (childrenOf(inside, "step").length > 0) {
          const name = `frame ${step.id}`;
          frames.set(name, step.kind === "each" ? "for each item" : "group");
          graph.setNode(name, {});
          if (frame !== undefined) graph.setParent(name, frame);
          flows = list(inside, flows, name);
        }
      } else if (own.length > 0) {
        const ends = own.flatMap((branch) => list(branch.id, [{ from: step.id, label: branch.kind }], frame));
        flows = ends.length > 0 ? ends : flows;
      }
      for (const branch of branches.filter(({ kind }) => kind === "catch"))
        flows = [...flows, ...list(branch.id, [{ from: step.id, label: "catch", isSide: true }], frame)];
    }
    return flows;
  };
  const triggers = lines.filter(({ what }) => what === "trigger");
  for (const trigger of triggers) node(trigger, undefined);
  list(
    "steps",
    triggers.map(({ id }) => ({ from: id, label: "" })),
    undefined,
  );
  dagre.layout(graph);

  const box = graph.graph();
  return {
    width: Math.ceil(box.width ?? 300),
    height: Math.ceil(box.height ?? 200),
    nodes: [...shown.values()].map((line) => {
      const at = graph.node(line.id);
      return {
        id: line.id,
        name: line.what === "step" ? line.name : "",
        kind: line.kind,
        title: shortly(line.title ?? line.name, 28),
        summary: shortly(line.summary, 34),
        x: at.x - width / 2,
        y: at.y - height / 2,
        width,
        height,
        isTrigger: line.what === "trigger",
      };
    }),
    frames: [...frames].map(([id, label]) => {
      const at = graph.node(id);
      return {
        id,
        label,
        x: at.x - at.width / 2,
        y: at.y - at.height / 2,
        width: at.width,
        height: at.height,
      };
    }),
    edges: graph.edges().map((edge) => {
      const { points, label, isSide, x, y } = graph.edge(edge) as unknown as {
        points: { x: number; y: number }[];
        label: string;
        isSide: boolean;
        x?: number;
        y?: number;
      };
      const [first, ...rest] = points;
      const path = `M${first?.x} ${first?.y} ${rest.map((point) => `L${point.x} ${point.y}`).join(" ")}`;
      return { id: `${edge.v} ${edge.w} ${edge.name}`, path, label, isSide, x: x ?? 0, y: (y ?? 0) + 4 };
    }),
  };
}

/** `steps[0].then[1]` stands in the list `steps[0].then`. */
const parentOf = (id: string): string => id.replace(/\[\d+\]$/, "");
/** The step whose branch has an id. */
const stepOf = (id: string): string =>
  /^(.*\])\.[^\]]*$/.exec(id.replace(/\.cases\[\d+\]\.then$/, ".cases"))?.[1] ?? "";
