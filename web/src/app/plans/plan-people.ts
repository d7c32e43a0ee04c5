import { inject, Injectable, signal } from '@angular/core';
import { firstValueFrom } from 'rxjs';
import { ConditionPeople } from '../conditions/condition-rows.ts';
import type { Named } from '../people/named.ts';
import { PeopleApi } from '../people/people.api.ts';

/** People whom the steps of a plan name. One for each page. */
@Injectable()
export class PlanPeople extends ConditionPeople {
  private readonly api = inject(PeopleApi);
  private readonly names = signal<Readonly<Record<string, string>>>({});

  override nameOf(id: string): string {
    return this.names()[id] ?? 'somebody who is not on the roster';
  }

  override learn({ id, name }: Named): void {
    this.names.update((known) => ({ ...known, [id]: name }));
  }

  override async findPeople(text: string): Promise<{ id: string; name: string; words: string }[]> {
    const { rows } = await firstValueFrom(this.api.list({ find: text.trim(), sort: 'fit', size: 12 }));
    return rows.map(({ id, name, job, department, site }) => ({ id, name, words: `${job ? `${job}, ` : ''}${department}, ${site}` }));
  }
}
