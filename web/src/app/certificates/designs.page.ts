import { ChangeDetectionStrategy, Component, computed, effect, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import type { DesignRow } from '@nudrik/contract';
import { STARTING_DESIGNS, tellAmount, tellList } from '@nudrik/core';
import { of } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { SelectField, type Choice } from '../shared/pick/select.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { CertificatesApi } from './certificates.api.ts';
import { CertificatesTabs } from './certificates-tabs.ts';
import { addressOf, SheetPictures } from './sheet-picture.ts';

/** What certificates look like: each design with the courses that use it, and what a new one may begin with. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [CertificatesTabs, FormsModule, MomentPipe, RouterLink, SelectField],
  templateUrl: './designs.page.html',
  styles: `
    .cards { list-style: none; margin: 0; padding: 0; display: grid; grid-template-columns: repeat(auto-fill, minmax(280px, 1fr)); gap: 24px 20px; align-items: start; }
    .cards img { display: block; max-width: 100%; max-height: 210px; border: 1px solid var(--rule); background: var(--sheet); }
    .cards h2 { margin-top: 8px; }
    .cards .acts { margin-top: 4px; }
    .off img { opacity: 0.5; }
  `,
})
export class DesignsPage {
  private readonly api = inject(CertificatesApi);
  private readonly pictures = inject(SheetPictures);
  private readonly router = inject(Router);
  protected readonly session = inject(SessionStore);
  protected readonly list = load(of(true), () => this.api.designs(), ['designs', 'courses']);
  protected readonly shown = signal<ReadonlyMap<string | null, string>>(new Map());
  protected readonly problem = signal<string | null>(null);
  protected readonly isNew = signal(false);
  protected name = '';
  protected from = 'key:framed';
  /** until it is drawn */
  protected readonly blank = addressOf('<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 297 210"/>');
  protected readonly amount = tellAmount;
  protected readonly beginnings = computed((): Choice[] => [
    ...STARTING_DESIGNS.map(({ key, name, about }) => ({ value: `key:${key}`, label: `${name}: ${about}`, group: 'With Nudrik' })),
    ...(this.list.data() ?? []).flatMap(({ id, name }) =>
      id === null ? [] : [{ value: `id:${id}`, label: `a copy of ${name}`, group: 'Your own' }],
    ),
  ]);

  constructor() {
    effect(() => {
      const rows = this.list.data();
      if (rows) void this.draw(rows);
    });
  }

  private async draw(rows: readonly DesignRow[]): Promise<void> {
    const drawn = await this.pictures.show(rows.map(({ svg }) => svg));
    this.shown.set(new Map(rows.map(({ id }, i) => [id, drawn[i]!])));
  }

  protected usedBy({ courses, isHouse }: DesignRow): string {
    const by = courses.map(({ title }) => title);
    if (isHouse)
      return by.length > 0 ? `Used by ${tellList(by)}, and where a course says nothing else.` : 'Used where a course says nothing else.';
    return by.length > 0 ? `Used by ${tellList(by)}.` : 'Used by no course.';
  }

  protected create(): void {
    const [kind, value] = this.from.split(':') as ['key' | 'id', string];
    this.problem.set(null);
    this.api.createDesign({ name: this.name.trim(), from: kind === 'key' ? { key: value } : { id: value } }).subscribe({
      next: ({ id }) => void this.router.navigate(['/certificates/designs', id]),
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }

  protected choose(id: string | null): void {
    this.problem.set(null);
    this.api
      .chooseHouseDesign(id)
      .subscribe({ next: () => this.list.reload(), error: (error: unknown) => this.problem.set(sentenceOf(error)) });
  }

  protected retire(id: string, isRetired: boolean): void {
    this.problem.set(null);
    this.api
      .retireDesign(id, isRetired)
      .subscribe({ next: () => this.list.reload(), error: (error: unknown) => this.problem.set(sentenceOf(error)) });
  }
}
