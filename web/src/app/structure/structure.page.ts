import { NgTemplateOutlet } from '@angular/common';
import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { departmentWords, groupWords, siteWords, type StructureView, type Words } from '@nudrik/contract';
import { tellWeekdays } from '@nudrik/core';
import { map, of } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';
import { ClockStore } from '../shell/clock.store.ts';
import { load } from '../shared/loaded.ts';
import { zoneWords } from '../shared/moment.pipe.ts';
import { Newer, NewerSaved, type Both } from '../shared/newer.ts';
import { SelectField } from '../shared/pick/select.ts';
import { zoneChoices } from '../shared/pick/zones.ts';
import { StructureApi } from './structure.api.ts';
import { HoldForm } from '../holding/hold-form.ts';
import { HoldingApi } from '../holding/holding.api.ts';
import { HouseRecord } from '../house/house-record.ts';
import { PeopleTabs } from '../people/people-tabs.ts';
import { SiteCalendar } from './site-calendar.ts';

/** What the small forms of this page hold; each uses what belongs to it. */
interface StructureForm {
  name: string;
  parentId: string;
  about: string;
  zone: string;
  workingDays: number[];
  version: number;
}

/** Where people belong: departments below each other, sites with their calendars, groups made by hand. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, HoldForm, HouseRecord, NgTemplateOutlet, RouterLink, PeopleTabs, SelectField, SiteCalendar, Newer],
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
  private readonly api = inject(StructureApi);
  private readonly router = inject(Router);
  private readonly clock = inject(ClockStore);
  protected readonly session = inject(SessionStore);
  /** the site whose calendar is open */
  readonly site = input<string>();
  protected readonly structure = load(of(true), () => this.api.structure(), ['people']);
  /** a department whose messages are about to be held */
  protected readonly holding = signal<{ id: string; name: string } | null>(null);
  private readonly holdingApi = inject(HoldingApi);
  protected readonly holds = load(of(true), () => this.holdingApi.list(), ['holds', 'clock']);
  protected readonly zoneWords = zoneWords;
  protected readonly weekdays = [1, 2, 3, 4, 5, 6, 7].map((day) => ({ day, name: tellWeekdays([day]) }));
  protected readonly zones = zoneChoices();
  protected readonly parents = computed(() => [
    { value: '', label: 'nothing' },
    ...this.tree().map(({ department: { id, name } }) => ({ value: id, label: name })),
  ]);
  protected readonly problem = signal<string | null>(null);
  /** what is being edited: `departments/3`, `sites/new` */
  protected readonly editing = signal<string | null>(null);
  protected draft: StructureForm = { name: '', parentId: '', about: '', zone: '', workingDays: [1, 2, 3, 4, 5], version: 0 };
  /** what somebody else saved meanwhile, beside mine */
  protected readonly newer = new NewerSaved<StructureForm>({
    problem: this.problem,
    both: () => this.api.structure().pipe(map((structure) => this.both(structure))),
    goOn: ({ version }) => (this.draft.version = version),
    take: (theirs) => {
      this.draft = theirs;
      this.structure.reload();
    },
  });

  protected isHeld(department: string): boolean {
    return this.holds.data()?.standing.some(({ scope, of: held }) => scope === 'department' && held === department) ?? false;
  }

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
    return tellWeekdays(workingDays);
  }

  protected ahead(holidays: readonly { on: string }[]): number {
    const today = new Date(this.clock.now() ?? 0).toISOString().slice(0, 10);
    return holidays.filter(({ on }) => on >= today).length;
  }

  protected edit(what: 'departments' | 'sites' | 'groups', entry: Partial<Record<string, unknown>> & { id?: string } = {}): void {
    this.problem.set(null);
    this.newer.forget();
    this.draft = this.formOf(entry);
    this.editing.set(`${what}/${entry.id ?? 'new'}`);
  }

  private formOf(entry: Partial<Record<string, unknown>>): StructureForm {
    const { name, parentId, about, zone, workingDays, version } = entry as Partial<StructureForm>;
    return {
      name: name ?? '',
      parentId: parentId ?? '',
      about: about ?? '',
      zone: zone ?? this.session.zone(),
      workingDays: [...(workingDays ?? [1, 2, 3, 4, 5])],
      version: version ?? 0,
    };
  }

  protected toggleDay(day: number): void {
    const { workingDays } = this.draft;
    this.draft.workingDays = workingDays.includes(day) ? workingDays.filter((other) => other !== day) : [...workingDays, day];
  }

  protected save(): void {
    const [what, key] = this.editing()!.split('/') as ['departments' | 'sites' | 'groups', string];
    const { name, parentId, about, zone, workingDays, version } = this.draft;
    const drafts = {
      departments: { name, parentId: parentId || null },
      groups: { name, about: about || null },
      sites: { name, zone, workingDays },
    };
    this.run(key === 'new' ? this.api.make(what, drafts[what]) : this.api.save(what, key, { ...drafts[what], version }));
  }

  /** What is being edited, as it is here and as it is stored; one that was removed has no name there. */
  private both(structure: StructureView): Both<StructureForm> {
    const [what, key] = this.editing()!.split('/') as ['departments' | 'sites' | 'groups', string];
    const entry = (structure[what] as { id: string }[]).find(({ id }) => id === key);
    const theirs = this.formOf((entry ?? {}) as Partial<Record<string, unknown>>);
    const tell = (form: StructureForm): Words =>
      what === 'departments'
        ? departmentWords({ name: form.name, below: structure.departments.find(({ id }) => id === form.parentId)?.name ?? null })
        : what === 'groups'
          ? groupWords(form)
          : siteWords(form);
    return { theirs, mine: tell(this.draft), saved: tell(theirs) };
  }

  protected remove(what: 'departments' | 'groups'): void {
    this.run(this.api.remove(what, this.editing()!.split('/')[1]!));
  }

  private run(request: ReturnType<StructureApi['remove']>): void {
    this.problem.set(null);
    request.subscribe({
      next: () => {
        this.editing.set(null);
        this.structure.reload();
      },
      error: (error: unknown) => {
        this.newer.refused(error);
      },
    });
  }

  protected show(site: string | null): void {
    void this.router.navigate([], { queryParams: { site } });
  }
}
