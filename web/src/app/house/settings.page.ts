import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { settingsWords, type SettingsDraft, type SettingsView, type TestMailResult } from '@nudrik/contract';
import { LANGUAGE_TAGS, tellLanguage, WAY_WORDS, WAYS } from '@nudrik/core';
import { map } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';
import { FoundAgain } from '../shared/found-again.ts';
import type { HasWork } from '../shared/leave.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { Newer, NewerSaved } from '../shared/newer.ts';
import { NumberField } from '../shared/pick/number-field.ts';
import { SelectField, type Choice } from '../shared/pick/select.ts';
import { TimeField } from '../shared/pick/time-field.ts';
import { zoneChoices } from '../shared/pick/zones.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { WorkInHand } from '../shared/work-in-hand.ts';
import { HouseRecord } from './house-record.ts';
import { Mailbox } from './mailbox.ts';
import { SettingsApi } from './settings.api.ts';

const WEEK_STARTS: Choice<number>[] = [
  { value: 1, label: 'Monday' },
  { value: 6, label: 'Saturday' },
  { value: 7, label: 'Sunday' },
];

/** What the house goes by: names, zone, when messages go, the sender; with a mail to try the mail server. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, HouseRecord, Mailbox, RouterLink, MomentPipe, NumberField, SelectField, TimeField, Newer, FoundAgain],
  templateUrl: './settings.page.html',
  styles: `
    fieldset { border: 0; padding: 0; margin: 0; max-width: 900px; }
    section { margin: 0; padding: 14px 0 4px; border-top: 1px solid var(--rule); }
    section p { margin-bottom: 8px; }
    .rows { display: flex; flex-wrap: wrap; gap: 12px 16px; align-items: end; }
    .rows .field { flex: 1; min-width: 190px; max-width: 290px; }
    .rows .short { max-width: 110px; min-width: 110px; }
    .frame { align-items: start; }
    .frame .gap { gap: 12px; }
    .logo { display: block; max-height: 56px; max-width: 240px; margin: 4px 0 8px; border: 1px solid var(--rule); padding: 6px; background: #fff; }
    .color { width: 44px; height: 32px; padding: 2px; border: 1px solid var(--rule-strong); background: var(--sheet); }
    .test { border-top: 1px solid var(--rule); padding-top: 14px; max-width: 900px; }
  `,
})
export class SettingsPage implements HasWork {
  private readonly api = inject(SettingsApi);
  protected readonly session = inject(SessionStore);
  protected readonly view = signal<SettingsView | null>(null);
  protected readonly form = signal<SettingsDraft | null>(null);
  private readonly before = signal('');
  protected readonly isChanged = computed(() => this.form() !== null && JSON.stringify(this.form()) !== this.before());
  readonly work = new WorkInHand<SettingsDraft>({
    key: computed(() => 'settings'),
    draft: this.form,
    version: computed(() => this.form()?.version ?? null),
    isChanged: this.isChanged,
  });
  protected readonly problem = signal<string | null>(null);
  protected readonly newer = new NewerSaved<SettingsView>({
    problem: this.problem,
    both: () => this.api.get().pipe(map((theirs) => ({ theirs, mine: settingsWords(this.form()!), saved: settingsWords(theirs) }))),
    goOn: ({ version }) => this.set({ version }),
    take: (theirs) => {
      this.work.drop();
      this.fill(theirs);
    },
  });
  protected readonly isBusy = signal(false);
  protected readonly isSaved = signal(false);
  protected readonly isTesting = signal(false);
  protected readonly tested = signal<TestMailResult | null>(null);
  protected testTo = this.session.account()?.email ?? '';
  protected readonly zones = zoneChoices();
  protected readonly weekdays = WEEK_STARTS;
  protected readonly languages: Choice[] = LANGUAGE_TAGS.map((value) => ({ value, label: tellLanguage(value) }));
  protected readonly ways: Choice[] = WAYS.map((value) => ({ value, label: WAY_WORDS[value] }));
  protected readonly isOff = computed(() => !this.session.canChange());

  constructor() {
    this.api.get().subscribe({
      next: (view) => {
        this.fill(view);
        const kept = this.work.find('settings');
        if (kept) this.form.set(kept.draft);
      },
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }

  private fill(view: SettingsView): void {
    const { changedAt: _, changedBy: __, mailServer: ___, isDemo: ____, logo: _____, hasChat: ______, ...draft } = view;
    this.view.set(view);
    this.form.set(draft);
    this.before.set(JSON.stringify(draft));
  }

  protected set(change: Partial<SettingsDraft>): void {
    this.isSaved.set(false);
    this.form.update((form) => form && { ...form, ...change });
  }

  protected setLogo(file: File | null): void {
    this.problem.set(null);
    this.api.setLogo(file).subscribe({
      next: ({ logo }) => this.view.update((view) => view && { ...view, logo }),
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }

  protected chooseLogo(event: Event): void {
    const field = event.target as HTMLInputElement;
    const file = field.files?.[0];
    // the same file may be chosen again
    field.value = '';
    if (file) this.setLogo(file);
  }

  protected save(): void {
    this.isBusy.set(true);
    this.problem.set(null);
    this.api.save(this.form()!).subscribe({
      next: (view) => {
        this.isBusy.set(false);
        this.isSaved.set(true);
        this.work.drop();
        this.fill(view);
        this.session.start().subscribe();
      },
      error: (error: unknown) => {
        this.isBusy.set(false);
        this.newer.refused(error);
      },
    });
  }

  protected dropWork(): void {
    this.work.drop();
    this.fill(this.view()!);
  }

  protected sendTest(): void {
    this.isTesting.set(true);
    this.tested.set(null);
    this.api.testMail(this.testTo).subscribe({
      next: (result) => {
        this.isTesting.set(false);
        this.tested.set(result);
      },
      error: (error: unknown) => {
        this.isTesting.set(false);
        this.tested.set({ isAccepted: false, words: sentenceOf(error) });
      },
    });
  }
}
