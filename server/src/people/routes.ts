import { Id, ImportQuery, PeopleQuery, PersonChange } from '@nudrik/contract';
import { dateOf, Zone } from '@nudrik/core';
import { ADMINISTRATORS, OFFICE, parse, type Route } from '../route.ts';
import { Refused } from '../refusal.ts';
import type { Deps } from '../deps.ts';
import { changePerson } from './change.ts';
import { previewImport, takeImport } from './import.ts';
import { findPersonSheet, listPeople, peopleFacets } from './people.repo.ts';
import { getHouse } from './roster.repo.ts';

/** Today in the house's zone, by the installation's clock. */
export async function houseToday(deps: Deps): Promise<string> {
  return dateOf(Zone.of((await getHouse(deps.db)).zone).dayAt(deps.clock.now()));
}

export const peopleRoutes: Route[] = [
  {
    method: 'get',
    path: '/api/people',
    access: OFFICE,
    handle: async ({ deps, req }) => listPeople(deps.db, parse(PeopleQuery, req.query), deps.clock.now(), await houseToday(deps)),
  },
  { method: 'get', path: '/api/people/facets', access: OFFICE, handle: ({ deps }) => peopleFacets(deps.db) },
  {
    method: 'post',
    path: '/api/people/import',
    access: ADMINISTRATORS,
    async handle({ deps, req, account }) {
      const { fileName, take } = parse(ImportQuery, req.query);
      const bytes = Buffer.isBuffer(req.body) ? req.body : Buffer.alloc(0);
      return take === undefined ? previewImport(deps, bytes, fileName) : takeImport(deps, bytes, fileName, take, account!.name);
    },
  },
  {
    method: 'get',
    path: '/api/people/:id',
    access: OFFICE,
    async handle({ deps, req }) {
      const sheet = await findPersonSheet(deps.db, parse(Id, req.params['id']), deps.clock.now(), await houseToday(deps));
      if (!sheet) throw new Refused('not-found', 'There is no such person, or not any more.');
      return sheet;
    },
  },
  {
    method: 'patch',
    path: '/api/people/:id',
    access: ADMINISTRATORS,
    async handle({ deps, req }) {
      await changePerson(deps, parse(Id, req.params['id']), parse(PersonChange, req.body));
      return { done: true };
    },
  },
];
