import pg from 'pg';
import { oneRow, rows, type Client, type Queryable } from '../db/db.ts';
import type { Logger } from '../deps.ts';

/** How long a worker that says nothing keeps what it hands over. */
const LEASE_MS = 60_000;
const BEAT_MS = 10_000;
/** first key of the advisory locks that workers hold with their connections */
const WORKER_LOCK = 7_309;

const ADD_WORKER = `
insert into workers (until, is_locked)
values (now() + $1::interval, false)
returning id
`;
const RENEW = `
update workers
set until = now() + $2::interval
where id = $1::integer
  and until > now()
returning id
`;
// in one statement: nobody may see the row before its lock is held, and take its worker for gone
const ADD_LOCKED = `
with added as (
  insert into workers (until, is_locked)
  values (now() + $1::interval, true)
  returning id
)
select id, pg_advisory_lock($2::integer, id)
from added
`;
const DELETE_WORKER = 'delete from workers where id = $1::integer';
const interval = `${LEASE_MS / 1000} seconds`;

/**
 * Who hands letters over. It ends with the connection that it is held by, and where it was not renewed for a minute (a
 * process that stood still): whoever has it looks at `isGood` before each hand-over, and hands nothing over any more once it
 * is false. The moment is the database's; here only the time since the last renewal is measured, from before it was asked for.
 */
export class Lease {
  private isLost = false;
  private goodUntil: number;

  constructor(
    readonly worker: number,
    askedAt: number,
  ) {
    this.goodUntil = askedAt + LEASE_MS * 0.9;
  }

  get isGood(): boolean {
    return !this.isLost && performance.now() < this.goodUntil;
  }

  lose(): void {
    this.isLost = true;
  }

  async renew(db: Queryable): Promise<void> {
    const askedAt = performance.now();
    if ((await rows(db, RENEW, [this.worker, interval])).length === 0) this.lose();
    else this.goodUntil = askedAt + LEASE_MS * 0.9;
  }
}

/** A lease without a connection of its own: for what runs once and is done. */
export async function takeLease(db: Queryable): Promise<Lease> {
  const askedAt = performance.now();
  return new Lease((await oneRow<{ id: number }>(db, ADD_WORKER, [interval])).id, askedAt);
}

/** Ends a lease: what it still has is taken up by others. */
export const endLease = (db: Queryable, lease: Lease): Promise<unknown> => db.query(DELETE_WORKER, [lease.worker]);

/** The lease of a worker's life: kept up while the database answers, taken anew when it was lost. */
export interface HeldLease {
  /** the one that is held now; null while the database does not answer */
  current(): Lease | null;
  end(): Promise<void>;
}

/**
 * @param onLost called when the database does not answer any more: what was asked of it hangs
 */
export function holdLease(databaseUrl: string, log: Logger, onLost: () => void): HeldLease {
  let lease: Lease | null = null;
  let client: pg.Client | null = null;
  let timer: NodeJS.Timeout | undefined;
  let isEnded = false;

  const again = (ms: number): void => {
    clearTimeout(timer);
    if (!isEnded) timer = setTimeout(() => void beat(), ms);
  };
  const drop = (reason: string): void => {
    if (!client) return;
    const gone = client;
    client = null;
    lease?.lose();
    lease = null;
    gone.removeAllListeners();
    gone.on('error', () => undefined);
    gone.end().catch(() => undefined);
    if (isEnded) return;
    log.warn({ reason }, 'The database does not answer; nothing is handed over until it does.');
    onLost();
    again(500);
  };
  const open = async (): Promise<void> => {
    const fresh = new pg.Client({
      connectionString: databaseUrl,
      connectionTimeoutMillis: BEAT_MS,
      query_timeout: BEAT_MS,
      keepAlive: true,
    });
    client = fresh;
    fresh.on('error', (error) => drop(error.message));
    fresh.on('end', () => drop('the connection ended'));
    await fresh.connect();
    const askedAt = performance.now();
    const { id } = await oneRow<{ id: number }>(fresh as unknown as Queryable, ADD_LOCKED, [interval, WORKER_LOCK]);
    lease = new Lease(id, askedAt);
  };
  async function beat(): Promise<void> {
    try {
      if (client === null) await open();
      else await lease!.renew(client as unknown as Queryable);
      if (lease !== null && !lease.isGood) return drop('the lease ran out'); // we stood still, or our clock jumped
    } catch (error) {
      return client ? drop((error as Error).message) : again(500);
    }
    again(BEAT_MS);
  }
  void beat();
  return {
    current: () => (lease?.isGood ? lease : null),
    async end() {
      isEnded = true;
      clearTimeout(timer);
      const last = client;
      client = null;
      if (!last) return;
      last.removeAllListeners();
      last.on('error', () => undefined);
      if (lease) await last.query(DELETE_WORKER, [lease.worker]).catch(() => undefined);
      await last.end().catch(() => undefined);
    },
  };
}

// a lock that can be had belongs to nobody any more
const LIST_GONE = `
select id
from workers
where until < now()
  or is_locked and pg_try_advisory_xact_lock($1::integer, id)
order by id
`;
const FORGET_GONE = 'delete from workers where id = any($1::integer[]) and (until < now() or is_locked)';

/** Workers that hand nothing over any more: their time ran out, or their connection ended. */
export const listGone = async (client: Client): Promise<number[]> =>
  (await rows<{ id: number }>(client, LIST_GONE, [WORKER_LOCK])).map(({ id }) => id);

export const forgetGone = (client: Client, ids: readonly number[]): Promise<unknown> => client.query(FORGET_GONE, [ids]);
