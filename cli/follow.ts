import { runsRoutes, type Client, problemOf } from "@copper-kettle/contract";
import { parseJson, type Entry } from "@copper-kettle/core";

/**
 * Follows a run until it has ended, or rests until a person decides. Reconnects where the stream breaks off.
 * @param onEntry called with each entry, in order
 */
export async function followRun(
  client: Client,
  id: string,
  baseUrl: string,
  onEntry: (entry: Entry) => void,
  options: { throughSleep: boolean },
): Promise<void> {
  // Streams take a while to load, and most commands follow nothing.
  const { EventSourceParserStream } = await import("eventsource-parser/stream");
  let after = -1;
  for (let failures = 0; failures < 20;) {
    const stop = new AbortController();
    const response = await client.send(runsRoutes.runEvents, {
      params: { id },
      query: { after },
      signal: stop.signal,
    });
    if (!response.ok || !response.body) throw await problemOf(response, baseUrl);
    const events = response.body
      .pipeThrough(new TextDecoderStream())
      .pipeThrough(new EventSourceParserStream());
    try {
      for await (const event of events as unknown as AsyncIterable<{ event?: string; data: string }>) {
        if (event.event !== "entry") continue;
        const { seq, entry } = parseJson(event.data) as unknown as { seq: number; entry: Entry };
        after = seq;
        failures = 0;
        onEntry(entry);
        const over =
          entry.type === "finished" ||
          (entry.type === "rested" &&
            (entry.state !== "waiting" ||
              !options.throughSleep ||
              entry.waits?.some(({ kind }) => kind === "breakpoint")));
        // A run that rested and went on has more entries behind.
        if (over && (await isAtRest(client, id, seq))) {
          stop.abort();
          return;
        }
      }
    } catch (error) {
      if (stop.signal.aborted) return;
      failures++;
      if (failures >= 20) throw error;
    }
    await new Promise((resolve) => setTimeout(resolve, 250));
  }
}

async function isAtRest(client: Client, id: string, seq: number): Promise<boolean> {
  const run = await client.call(runsRoutes.run, { params: { id } });
  return run.last <= seq && run.state !== "running" && run.state !== "queued";
}
