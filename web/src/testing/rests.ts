import { dateTimestampProvider } from 'rxjs/internal/scheduler/dateTimestampProvider';
import { intervalProvider } from 'rxjs/internal/scheduler/intervalProvider';

/** A wait up to this long is a rest: what is typed or chosen is asked for once nothing more comes. */
const REST_MS = 300;
/** Where nobody asks, a rest ends by itself after this long. */
const AT_LAST_MS = 3_000;

const resting = new Map<unknown, { run: () => void; at: number }>();
let ahead = 0;

/**
 * Has the rests of pages end when a test asks for what comes after them, and not by the clock: on a slow machine a rest would be over in
 * the middle of what is done, and the test would be given a question that a newer one takes the place of.
 */
export function holdRests(): void {
  dateTimestampProvider.delegate = { now: () => Date.now() + ahead };
  intervalProvider.delegate = {
    setInterval(run: () => void, ms = 0, ...given: unknown[]) {
      if (ms <= 0 || ms > REST_MS) return setInterval(run, ms, ...given);
      const id = setInterval(run, AT_LAST_MS, ...given);
      resting.set(id, { run: () => (run as (...given: unknown[]) => void)(...given), at: dateTimestampProvider.now() + ms });
      return id;
    },
    clearInterval(id: unknown) {
      resting.delete(id);
      clearInterval(id as ReturnType<typeof setInterval>);
    },
  };
}

/** Ends all rests that were begun, the shortest first. */
export function endRests(): void {
  if (resting.size === 0) return;
  ahead += REST_MS;
  for (const [id, { run }] of [...resting].sort(([, a], [, b]) => a.at - b.at)) if (resting.has(id)) run();
}
