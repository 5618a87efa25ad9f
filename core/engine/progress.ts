import type { Frame } from "./frame.js";
import type { Clock } from "./ports.js";
import type { Wait } from "./awaited.js";
import { Asleep, Paused, Stopped, TimedOut } from "./signals.js";
import type { Writing } from "./writing.js";

/** A wait longer than this many milliseconds sleeps in the store; a shorter one stays in memory. */
export const longestWaitInMemory = 30_000;

/** How a run is asked from outside to end or to rest. */
export interface Signals {
  /** A stop by hand: end at the next step. */
  stop: AbortSignal;
  /** The service is going down: rest at the next step. */
  pause: AbortSignal;
  /** Either of the two: ends waits in memory. */
  rouse: AbortSignal;
  /** Cuts off what is being sent. */
  cut: AbortSignal;
}

/** When a step may go on: not after a stop or the end of its time, and not before a wait is over. */
export class Progress {
  constructor(
    /** Whether the journal says that the run is to end: somebody stopped it before the service did. */
    readonly stopping: boolean,
    readonly signals: Signals,
    readonly clock: Clock,
    readonly write: Pick<Writing, "flush">,
  ) {}

  /** Called before a step does anything new: a stop by hand, the end of the service or of its time comes first. */
  check(frame: Frame, path: string): void {
    if (this.stopping || this.signals.stop.aborted) throw new Stopped("stopped", "Stopped by hand.", path);
    if (this.signals.pause.aborted) throw new Paused();
    const { deadline } = frame;
    if (deadline && this.clock.now() >= deadline.at) throw new TimedOut(deadline);
  }

  /** Waits until a time, or the end of the step's time: in memory or, if it is long, asleep in the store. */
  async sleepUntil(until: number, frame: Frame, path: string, wait?: Omit<Wait, "path">): Promise<void> {
    const end = Math.min(until, frame.deadline?.at ?? until);
    const left = end - this.clock.now();
    if (left > longestWaitInMemory) throw new Asleep(end, path, wait ? [{ path, ...wait }] : []);
    if (left > 0) {
      this.check(frame, path);
      await this.write.flush();
      try {
        await this.clock.wait(left, this.signals.rouse);
      } catch (error) {
        this.check(frame, path);
        throw error;
      }
    }
    if (frame.deadline && end < until) throw new TimedOut(frame.deadline);
  }
}
