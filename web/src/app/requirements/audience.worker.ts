import { expose } from 'comlink';
import {
  compileAudience,
  tellAudience,
  tellLeaf,
  type Audience,
  type AudiencePerson,
  type Matcher,
  type Names,
  type Structure,
} from '@nudrik/core';
import type { AudienceFacts, Refusal } from '@nudrik/contract';

/** What the builder offers and names things by; the people stay in the worker. */
export type BuilderFacts = Omit<AudienceFacts, 'people'> & { people: number };

export interface ShownPerson {
  id: string;
  name: string;
  department: string;
  site: string;
  job: string | null;
  /** the day of joining, where it is still to come */
  joins: string | null;
  /** the one condition that is not met, in words; empty for who is in */
  keptOutBy: string;
}
export interface AudienceAnswer {
  count: number;
  joining: number;
  people: ShownPerson[];
  /** who one condition keeps out */
  outside: { count: number; people: ShownPerson[] };
  /** the audience as a sentence */
  words: string;
  /** milliseconds that the whole roster took */
  took: number;
}

/** People that the page shows of each list. */
const SHOWN = 100;

/** Asks the whole roster who is in an audience, beside the page: 20,000 people without a wait. */
class AudienceWork {
  private facts!: AudienceFacts;
  private structure!: Structure;
  private names!: Names;

  async open(): Promise<BuilderFacts> {
    const response = await fetch('/api/requirements/audience');
    if (!response.ok)
      throw new Error(((await response.json().catch(() => null)) as Refusal | null)?.message ?? `The server answered ${response.status}.`);
    this.facts = (await response.json()) as AudienceFacts;
    const parents = new Map(this.facts.departments.map(({ id, parentId }) => [id, parentId]));
    const managers = new Map(this.facts.people.map(({ id, manager }) => [id, manager]));
    this.structure = { parentOf: (id) => parents.get(id) ?? null, managerOf: (id) => managers.get(id) ?? null };
    const look = (list: readonly { id: string; name: string }[]): ((id: string) => string) => {
      const names = new Map(list.map(({ id, name }) => [id, name]));
      return (id) => names.get(id) ?? '?';
    };
    this.names = {
      department: look(this.facts.departments),
      site: look(this.facts.sites),
      group: look(this.facts.groups),
      person: look(this.facts.people),
      course: look(this.facts.courses.map(({ id, title }) => ({ id, name: title }))),
      unit: (id) => id,
      step: (id) => id,
    };
    return { ...this.facts, people: this.facts.people.length };
  }

  /** Names of people that an audience speaks of. */
  nameOf(ids: string[]): Record<string, string> {
    return Object.fromEntries(ids.map((id) => [id, this.names.person(id)]));
  }

  /** Everyone in a line's head is somebody with people below them. */
  findPeople(text: string): { id: string; name: string; words: string }[] {
    const part = text.trim().toLowerCase();
    const leads = new Set(this.facts.people.map(({ manager }) => manager));
    return this.facts.people
      .filter(({ id, name }) => leads.has(id) && name.toLowerCase().includes(part))
      .slice(0, 12)
      .map(({ id, name, job, department }) => ({ id, name, words: `${job ?? ''}${job ? ', ' : ''}${this.names.department(department)}` }));
  }

  ask(audience: Audience): AudienceAnswer {
    const began = performance.now();
    const { today, people } = this.facts;
    const matcher = compileAudience(audience, this.structure, today);
    const inside: AudiencePerson[] = [];
    const outside: { person: AudiencePerson; words: string }[] = [];
    let joining = 0;
    for (const person of people) {
      if (person.leftOn !== null && person.leftOn <= today) continue;
      if (matcher.test(person)) {
        inside.push(person);
        if (person.joinedOn !== null && person.joinedOn > today) joining += 1;
      } else {
        const words = this.whatKeepsOut(matcher, audience, person);
        if (words) outside.push({ person, words });
      }
    }
    const took = performance.now() - began;
    const byName = (a: { name: string }, b: { name: string }): number => (a.name < b.name ? -1 : 1);
    return {
      count: inside.length,
      joining,
      people: inside
        .sort(byName)
        .slice(0, SHOWN)
        .map((person) => this.show(person, '')),
      outside: {
        count: outside.length,
        people: outside
          .sort((a, b) => byName(a.person, b.person))
          .slice(0, SHOWN)
          .map(({ person, words }) => this.show(person, words)),
      },
      words: tellAudience(audience, this.names),
      took,
    };
  }

  /** The one condition that keeps somebody out; null where more than one does. */
  private whatKeepsOut(matcher: Matcher, audience: Audience, person: AudiencePerson): string | null {
    const reasons = matcher.reasons(person, true);
    const [leaf] = reasons ?? [];
    if (reasons?.length !== 1 || !leaf) return null;
    const holds = compileAudience(leaf, this.structure, this.facts.today).test(person);
    // the condition as the sentence has it: one that holds stands there with a "not"
    return tellLeaf(leaf, this.names, holds);
  }

  private show(person: AudiencePerson, keptOutBy: string): ShownPerson {
    return {
      id: person.id,
      name: person.name,
      department: this.names.department(person.department),
      site: this.names.site(person.site),
      job: person.job,
      joins: person.joinedOn !== null && person.joinedOn > this.facts.today ? person.joinedOn : null,
      keptOutBy,
    };
  }
}

export type { AudienceWork };
expose(new AudienceWork());
