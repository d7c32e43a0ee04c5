import type { MailStore } from './mail-store.ts';

/** What an address does some hours after it took a mail: its reader writes back, or its server returns the mail. */
export interface Later {
  what: 'answers' | 'returns';
  /** the moment in simulated time, as ISO text */
  at: string;
  mail: string;
  address: string;
  /** of a return: whom the report goes to, and what it is known by */
  envelope: { from: string; id: string | null };
}

/** What is still to come back, kept over a restart; time is told by whoever runs the clock. */
export class LaterList {
  private constructor(
    private readonly store: MailStore,
    private list: Later[],
  ) {}

  static async open(store: MailStore): Promise<LaterList> {
    return new LaterList(store, await store.later());
  }

  async add(later: Later): Promise<void> {
    this.list.push(later);
    await this.store.keepLater(this.list);
  }

  /** When the next of them is due; null where nothing is to come. */
  get nextAt(): string | null {
    return this.list.map(({ at }) => at).sort()[0] ?? null;
  }

  /** It is so late now: what is due is done, in its order, each once. */
  async until(now: Date, act: (later: Later) => Promise<void>): Promise<void> {
    const isDue = ({ at }: Later): boolean => new Date(at) <= now;
    const due = this.list.filter(isDue).sort((a, b) => (a.at < b.at ? -1 : 1));
    if (due.length === 0) return;
    this.list = this.list.filter((one) => !isDue(one));
    await this.store.keepLater(this.list);
    for (const one of due) await act(one);
  }
}
