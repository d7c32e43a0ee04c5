/** How much may go in a minute: in all, and to one domain; null is without limit. */
export interface PaceLimits {
  perMinute: number | null;
  perDomain: number | null;
}

/** Letters that may go at once after a quiet time: a sixth of a minute's worth. */
const burstOf = (perMinute: number): number => Math.max(1, Math.floor(perMinute / 6));

/** What sums of fractions are off by. */
const TINY = 1e-6;

/** An allowance that fills evenly. Times are milliseconds of any clock that goes forward. */
class Allowance {
  private left: number;
  private at = -Infinity;

  constructor(private readonly perMinute: number) {
    this.left = burstOf(perMinute);
  }

  private fill(now: number): void {
    const grown = this.at === -Infinity ? 0 : ((now - this.at) * this.perMinute) / 60_000;
    this.left = Math.min(burstOf(this.perMinute), this.left + grown);
    this.at = now;
  }

  wait(now: number): number {
    this.fill(now);
    const missing = 1 - this.left;
    return missing <= TINY ? 0 : Math.ceil((missing * 60_000) / this.perMinute - TINY);
  }

  take(now: number): void {
    this.fill(now);
    this.left -= 1;
  }

  isFull(now: number): boolean {
    this.fill(now);
    return this.left >= burstOf(this.perMinute);
  }
}

const domainOf = (address: string): string => address.slice(address.lastIndexOf('@') + 1).toLowerCase();
/** Domains whose allowance is remembered; beyond that those that are full are forgotten, which changes nothing. */
const DOMAINS = 2_000;

/** Holds what goes to a mail server, and to each domain, under what they take in a minute. */
export class Pace {
  private readonly all: Allowance | null;
  private readonly domains = new Map<string, Allowance>();

  constructor(private readonly limits: PaceLimits) {
    this.all = limits.perMinute === null ? null : new Allowance(limits.perMinute);
  }

  /** How long a letter to an address has to wait, in milliseconds; 0 where it may go now. */
  wait(address: string, now: number): number {
    return Math.max(this.all?.wait(now) ?? 0, this.domain(address)?.wait(now) ?? 0);
  }

  /** Notes that one goes. */
  take(address: string, now: number): void {
    this.all?.take(now);
    this.domain(address)?.take(now);
    if (this.domains.size > DOMAINS) for (const [name, allowance] of this.domains) if (allowance.isFull(now)) this.domains.delete(name);
  }

  private domain(address: string): Allowance | null {
    if (this.limits.perDomain === null) return null;
    const name = domainOf(address);
    const known = this.domains.get(name) ?? new Allowance(this.limits.perDomain);
    this.domains.set(name, known);
    return known;
  }
}
