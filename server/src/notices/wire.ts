import { transaction } from '../db/db.ts';
import { isPassing } from '../db/failures.ts';
import type { Deps } from '../deps.ts';
import type { Channel, Handover, Letter } from '../messages/channel.ts';
import { pauseChannel, resumeChannel } from '../messages/channels.repo.ts';
import type { Lease } from '../work/lease.ts';
import { storeChat } from '../chat/way.ts';
import { giveBack, storeAnswers } from './dispatch.repo.ts';

/** A letter that waits for the wire, with the lease under which it was claimed and when it was decided. */
interface Queued {
  letter: Letter;
  lease: Lease;
  decidedAt: number;
}

export interface Result {
  letter: Letter;
  handover: Handover;
}

/** what was decided longer ago is decided again before it goes */
const FRESH_MS = 30_000;
/** between two announcements of what went */
const TELL_MS = 300;
/** what a letter may take, however slowly the other side answers */
const LETTER_MS = 60_000;
/** a message that the server would not take for three days has failed */
export const GIVE_UP_MS = 3 * 24 * 3_600_000;

/**
 * Hands letters over, as many at once as the channel is wide, and stores each answer as it comes: before its place is given
 * to the next but one, so that a process that dies repeats only what was on the wire or just answered. What is not on the wire yet is given back when
 * the channel stands still, when the process stops, and when it was decided too long ago.
 */
export class Wire {
  private readonly queue: Queued[] = [];
  private onTheWire = 0;
  private unsaved: { result: Result; done: () => void }[] = [];
  private isSaving = false;
  private isStopped = false;
  private waiters: (() => void)[] = [];
  /** milliseconds between two letters that go, as it was lately */
  private pace = 20;
  private lastAt = 0;
  private toldAt = 0;
  /** when what has to wait for the channel's pace is looked at again */
  private later: NodeJS.Timeout | undefined;
  /** the channel did not take anything lately: one letter at a time until it does */
  isProbing = false;

  constructor(
    private readonly deps: Deps,
    private readonly channel: Channel,
    private readonly timeLimit = LETTER_MS,
  ) {}

  /** How many letters may be decided now, so that none waits long: about two seconds' worth, 0 while enough wait. */
  get room(): number {
    if (this.isStopped) return 0;
    const most = Math.max(this.channel.width, Math.min(200, Math.round(2_000 / this.pace)));
    return this.queue.length > most / 2 ? 0 : most;
  }

  get isIdle(): boolean {
    return this.queue.length === 0 && this.onTheWire === 0;
  }

  push(letters: readonly Letter[], lease: Lease): void {
    const decidedAt = performance.now();
    for (const letter of letters) this.queue.push({ letter, lease, decidedAt });
    this.fill();
  }

  /** Resolves at the next change: a letter went, or was given back; at once where nothing is going on. */
  changed(): Promise<void> {
    if (this.isIdle) return Promise.resolve();
    return new Promise((resolve) => this.waiters.push(resolve));
  }

  /** Until nothing waits and nothing is on the wire. */
  async idle(): Promise<void> {
    while (!this.isIdle) await this.changed();
  }

  /** Hands nothing more over, gives back what waits, and ends what is on the wire, as long as that takes within the limit. */
  async stop(limit: number): Promise<void> {
    this.isStopped = true;
    clearTimeout(this.later);
    await this.returnAll();
    const until = performance.now() + limit;
    while (this.onTheWire > 0 && performance.now() < until)
      await Promise.race([this.changed(), new Promise((resolve) => setTimeout(resolve, Math.min(500, limit)))]);
  }

  private tell(): void {
    const waiters = this.waiters;
    this.waiters = [];
    for (const resolve of waiters) resolve();
  }

  private fill(): void {
    // as many again as are on the wire may have their answers stored meanwhile: half as fast without
    const width = this.isProbing ? 1 : 2 * this.channel.width;
    const now = performance.now();
    const stale: Queued[] = [];
    clearTimeout(this.later);
    while (!this.isStopped && this.onTheWire < width && this.queue.length > 0) {
      const next = this.next(now);
      if (next === null) break;
      // of a lease that is lost somebody else takes care
      if (!next.lease.isGood) continue;
      if (now - next.decidedAt > FRESH_MS) {
        stale.push(next);
        continue;
      }
      this.onTheWire += 1;
      if (next.letter.channel !== 'chat') this.channel.pace?.take(next.letter.toAddress, now);
      void this.handOver(next.letter);
    }
    if (stale.length > 0) void this.giveBack(stale);
    if (this.isIdle) this.tell();
  }

  /** The first that may go by the channel's pace, or that waited too long; null where all have to wait, until when they are looked at again. */
  private next(now: number): Queued | null {
    const { pace } = this.channel;
    if (!pace) return this.queue.shift()!;
    let shortest = Infinity;
    for (const [i, each] of this.queue.entries()) {
      const isStale = now - each.decidedAt > FRESH_MS;
      const isFree = each.letter.channel === 'chat' || isStale || !each.lease.isGood;
      const wait = isFree ? 0 : pace.wait(each.letter.toAddress, now);
      if (wait === 0) return this.queue.splice(i, 1)[0]!;
      shortest = Math.min(shortest, wait, FRESH_MS - (now - each.decidedAt) + 1);
    }
    this.later = setTimeout(() => this.fill(), shortest);
    return null;
  }

  private async handOver(letter: Letter): Promise<void> {
    const handover = await within(this.timeLimit, this.channel.send(letter));
    this.pace = Math.min(10_000, this.pace * 0.9 + Math.max(0.5, performance.now() - this.lastAt) * 0.1);
    this.lastAt = performance.now();
    await new Promise<void>((done) => {
      this.unsaved.push({ result: { letter, handover }, done });
      if (!this.isSaving) void this.save();
    });
    this.onTheWire -= 1;
    if (handover.outcome === 'later' && handover.scope === 'channel') {
      this.isProbing = true;
      await this.returnAll();
    }
    this.fill();
    this.tell();
  }

  /** Stores answers, those that come meanwhile with the next; while the database does not answer they wait. */
  private async save(): Promise<void> {
    this.isSaving = true;
    while (this.unsaved.length > 0) {
      const some = this.unsaved;
      this.unsaved = [];
      const results = some.map(({ result }) => result);
      try {
        await this.store(results);
      } catch (error) {
        if (isPassing(error) && !this.isStopped) {
          this.unsaved = [...some, ...this.unsaved];
          await new Promise((resolve) => setTimeout(resolve, 500));
          continue;
        }
        // it stays on its way: taken up, and decided again, like what was cut off
        this.deps.log.error({ error: (error as Error).stack }, 'Answers of the mail server could not be stored.');
      }
      for (const { done } of some) done();
    }
    this.isSaving = false;
  }

  private async store(results: readonly Result[]): Promise<void> {
    const { deps, channel } = this;
    const stopping = results.find(({ handover }) => handover.outcome === 'later' && handover.scope === 'channel');
    const now = deps.clock.now();
    // browsers are told a few times a second, and at the end
    const isTold = performance.now() - this.toldAt > TELL_MS || this.onTheWire + this.queue.length <= results.length;
    if (isTold) this.toldAt = performance.now();
    await storeChat(deps.db, results, now);
    const mails = results.filter(({ letter }) => letter.channel !== 'chat');
    if (stopping) await pauseChannel(deps.db, channel.name, stopping.handover.response, now);
    await storeAnswers(deps.db, results, now, GIVE_UP_MS, isTold);
    if (!stopping && this.isProbing && mails.some(({ handover }) => handover.outcome !== 'unknown'))
      await resumeChannel(deps.db, channel.name);
    if (stopping) deps.log.warn({ answer: stopping.handover.response }, 'The mail server takes nothing; all waits and is tried again.');
    else this.isProbing &&= mails.every(({ handover }) => handover.outcome === 'unknown');
  }

  private returnAll(): Promise<void> {
    return this.giveBack(this.queue.splice(0));
  }

  /** Letters that were never handed over wait for their turn again, as if they had not been decided. */
  private async giveBack(list: readonly Queued[]): Promise<void> {
    const own = list.filter(({ lease }) => lease.isGood);
    if (own.length > 0)
      await transaction(this.deps.db, (client) =>
        giveBack(
          client,
          own.map(({ letter }) => letter),
          this.deps.clock.now(),
        ),
      ).catch((error: unknown) => this.deps.log.warn({ error: (error as Error).message }, 'Letters are taken up again later.'));
    this.tell();
  }
}

/** An answer, or that none came in time: then nobody knows what became of the letter. */
async function within(limit: number, answer: Promise<Handover>): Promise<Handover> {
  let timer: NodeJS.Timeout | undefined;
  const silence = new Promise<Handover>((resolve) => {
    timer = setTimeout(
      () => resolve({ outcome: 'unknown', response: `the mail server gave no answer within ${Math.round(limit / 1000)} seconds` }),
      limit,
    );
  });
  try {
    return await Promise.race([answer, silence]);
  } catch (error) {
    return { outcome: 'unknown', response: (error as Error).message };
  } finally {
    clearTimeout(timer);
  }
}
