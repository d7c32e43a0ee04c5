import { describe, expect, it } from 'vitest';
import { previewRoster } from '@nudrik/core';
import { CAST, INTAKE_ON, makeCrew, SITES } from './orlasund.ts';

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
    const preview = previewRoster(
      table,
      [],
      SITES.map(({ name }) => name),
    );
    expect(preview.rejected).toEqual([]);
    expect(preview.added).toHaveLength(246);
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
