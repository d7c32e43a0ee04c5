import { describe, expect, it } from 'vitest';
import { addDays, matchColumns, previewRoster } from '@nudrik/core';
import { FEED_CAST, rosterOn } from './feed-story.ts';
import { CAST, INTAKE_ON, makeCrew, SITES, START_ON } from './orlasund.ts';

describe('Orlasund Ferries', () => {
  const { people, leaves, intake } = makeCrew();
  const byName = new Map(people.map((person) => [person.name, person]));

  it('is the same every time: 246 people, 38 of them joining on the coming Monday', () => {
    expect(makeCrew()).toEqual({ people, leaves, intake });
    expect([people.length, intake.length, INTAKE_ON]).toEqual([246, 38, '2026-05-11']);
    expect(people.filter(({ joinedOn }) => joinedOn === INTAKE_ON)).toHaveLength(38);
  });
  it('passes its own import: each name and address once, every manager there, no circle', () => {
    const table = [
      ['name', 'email', 'department', 'site', 'job', 'manager email', 'joined on', 'personnel number'],
      ...people.map((p) => [
        p.name,
        p.email,
        p.department,
        p.site,
        p.job ?? '',
        p.managerEmail ?? '',
        p.joinedOn ?? '',
        p.personnelNumber ?? '',
      ]),
    ];
    const sites = SITES.map(({ name }) => name);
    const matching = matchColumns(table, { remembered: {}, sites, departments: [] });
    const preview = previewRoster(table, matching, [], sites, { isComplete: true, emptyCells: 'keep', today: '2026-05-06' });
    expect(preview.rejected).toEqual([]);
    expect(preview.added).toHaveLength(246);
  });
  it('has a personnel feed that begins as the roster is, and tells a story of two weeks', () => {
    const counts = (day: number) => {
      const date = addDays(START_ON, day);
      const rows = rosterOn(date);
      return [rows.length, rows.find(({ name }) => name === FEED_CAST.mover)!.department];
    };
    expect(rosterOn(START_ON).map(({ number, email }) => `${number} ${email}`)).toEqual(
      people.map((p) => `${p.personnelNumber} ${p.email}`),
    );
    expect([0, 1, 2, 3, 5, 6, 8, 12].map(counts)).toEqual([
      [246, 'Deck'], [247, 'Deck'], [248, 'Deck'], [247, 'Deck'], [247, 'Office'], [247, 'Office'], [246, 'Office'], [247, 'Office'],
    ]); // prettier-ignore
    expect(rosterOn(addDays(START_ON, 9)).some(({ joinedOn }) => joinedOn === '2026-02-31')).toBe(true);
    expect(rosterOn(addDays(START_ON, 14))).toEqual(rosterOn(addDays(START_ON, 14)));
  });
  it('contains what real life contains', () => {
    expect(
      people
        .filter(({ managerEmail }) => managerEmail === null)
        .map(({ name }) => name)
        .sort(),
    ).toEqual([CAST.noManager, CAST.director].sort());
    expect(leaves.find(({ person }) => person === CAST.awayLead)?.cover).toBe(CAST.coverLead);
    expect(byName.get(CAST.bothZones)).toMatchObject({
      site: 'Skerry Yard',
      managerEmail: 'ivar.moen@orlasund.example',
    });
    expect(new Set(people.map(({ department }) => department)).size).toBe(6);
    const depth = (name: string): number => { const manager = byName.get(name)!.managerEmail; return manager ? 1 + depth(people.find(({ email }) => email === manager)!.name) : 0; }; // prettier-ignore
    expect(Math.max(...people.map(({ name }) => depth(name)))).toBe(3);
    expect(people.every(({ email }) => email.endsWith('@orlasund.example'))).toBe(true);
  });
});
