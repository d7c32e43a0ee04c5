import { NgTemplateOutlet } from '@angular/common';
import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import type { StructureView } from '@nudrik/contract';
import { of } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';
import { ClockStore } from '../shell/clock.store.ts';
import { load } from '../shared/loaded.ts';
import { zoneWords } from '../shared/moment.pipe.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { PeopleApi } from './people.api.ts';
import { PeopleTabs } from './people-tabs.ts';
import { SiteCalendar } from './site-calendar.ts';

const WEEKDAYS = ['', 'Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun'];

/** Where people belong: departments below each other, sites with their calendars, groups made by hand. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, NgTemplateOutlet, RouterLink, PeopleTabs, SiteCalendar],
  templateUrl: './structure.page.html',
  styles: `
    .cols { display: grid; grid-template-columns: minmax(0, 1fr) minmax(0, 1fr); gap: 0 40px; }
    .edit { padding: 10px 12px; border: 1px solid var(--rule); margin: 8px 0; }
    .two { display: grid; grid-template-columns: 1fr 1fr; gap: 0 12px; }
    .days { display: flex; gap: 12px; flex-wrap: wrap; margin-bottom: 12px; }
    .days label { display: inline-flex; gap: 5px; align-items: center; }
    h2 { display: flex; justify-content: space-between; align-items: baseline; }
    h2 .link { font: 400 13px var(--text); }
  `,
})
export class StructurePage {
  private readonly api = inject(PeopleApi);
  private readonly router = inject(Router);
  private readonly clock = inject(ClockStore);
  protected readonly session = inject(SessionStore);
  /** the site whose calendar is open */
  readonly site = input<string>();
  protected readonly structure = load(of(true), () => this.api.structure(), ['people']);
  protected readonly zoneWords = zoneWords;
  protected readonly weekdays = [1, 2, 3, 4, 5, 6, 7].map((day) => ({ day, name: WEEKDAYS[day]! }));
  protected readonly zones = Intl.supportedValuesOf('timeZone');
  protected readonly problem = signal<string | null>(null);
  /** what is being edited: `departments/3`, `sites/new` */
  protected readonly editing = signal<string | null>(null);
  protected draft = { name: '', parentId: '', about: '', zone: '', workingDays: [1, 2, 3, 4, 5] };

  protected readonly tree = computed(() => {
    const all = this.structure.data()?.departments ?? [];
    const rows: { department: StructureView['departments'][number]; depth: number; withBelow: number }[] = [];
    const walk = (parentId: string | null, depth: number): number => {
      let people = 0;
      for (const department of all.filter((entry) => entry.parentId === parentId)) {
        const row = { department, depth, withBelow: 0 };
        rows.push(row);
        row.withBelow = department.people + walk(department.id, depth + 1);
        people += row.withBelow;
      }
      return people;
    };
    walk(null, 0);
    return rows;
  });
  protected readonly open = computed(() => this.structure.data()?.sites.find(({ id }) => id === this.site()) ?? null);

  protected days(workingDays: readonly number[]): string {
    const sorted = [...workingDays].sort();
    return sorted.join() === '1,2,3,4,5' ? 'Mon to Fri' : sorted.map((day) => WEEKDAYS[day]).join(', ');
  }

  protected ahead(holidays: readonly { on: string }[]): number {
    const today = new Date(this.clock.now() ?? 0).toISOString().slice(0, 10);
    return holidays.filter(({ on }) => on >= today).length;
  }

  protected edit(what: 'departments' | 'sites' | 'groups', entry: Partial<Record<string, unknown>> & { id?: string } = {}): void {
    this.problem.set(null);
    const { name, parentId, about, zone, workingDays } = entry as Partial<typeof this.draft>;
    this.draft = { name: name ?? '', parentId: parentId ?? '', about: about ?? '', zone: zone ?? this.session.zone(), workingDays: [...(workingDays ?? [1, 2, 3, 4, 5])] }; // prettier-ignore
    this.editing.set(`${what}/${entry.id ?? 'new'}`);
  }

  protected toggleDay(day: number): void {
    const { workingDays } = this.draft;
    this.draft.workingDays = workingDays.includes(day) ? workingDays.filter((other) => other !== day) : [...workingDays, day];
  }

  protected save(): void {
    const [what, key] = this.editing()!.split('/') as ['departments' | 'sites' | 'groups', string];
    const { name, parentId, about, zone, workingDays } = this.draft;
    const draft = what === 'departments' ? { name, parentId: parentId || null } : what === 'groups' ? { name, about: about || null } : { name, zone, workingDays };
    this.run(this.api.save(what, key === 'new' ? null : key, draft));
  } // prettier-ignore

  protected remove(what: 'departments' | 'groups'): void {
    this.run(this.api.remove(what, this.editing()!.split('/')[1]!));
  }

  private run(request: ReturnType<PeopleApi['remove']>): void {
    this.problem.set(null);
    request.subscribe({
      next: () => {
        this.editing.set(null);
        this.structure.reload();
      },
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }

  protected show(site: string | null): void {
    void this.router.navigate([], { queryParams: { site } });
  }
}
