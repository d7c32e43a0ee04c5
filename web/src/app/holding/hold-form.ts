import { ChangeDetectionStrategy, Component, computed, inject, input, linkedSignal, output, signal } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { HOLD_SCOPES, tellAmount, type HoldScope } from '@nudrik/core';
import { Dialog } from 'primeng/dialog';
import { debounceTime } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';
import { CoursesApi } from '../courses/courses.api.ts';
import { PersonPick } from '../people/person-pick.ts';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { DateField } from '../shared/pick/date-field.ts';
import { choicesOf, SelectField, type Choice } from '../shared/pick/select.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { StructureApi } from '../structure/structure.api.ts';
import { SCOPE_WORDS } from './hold-words.ts';
import { HoldingApi } from './holding.api.ts';

/** Holds messages: what, until when and why; and before it is done, how much that keeps back. */
@Component({
  selector: 'nk-hold-form',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [Dialog, FormsModule, DateField, SelectField, PersonPick, MomentPipe],
  templateUrl: './hold-form.html',
  styles: `.steps { margin: 4px 0 0; padding-left: 18px; } .small { font-size: 12.5px; } .kept { min-height: 86px; }`,
})
export class HoldForm {
  private readonly api = inject(HoldingApi);
  private readonly session = inject(SessionStore);
  private readonly coursesApi = inject(CoursesApi);
  private readonly structureApi = inject(StructureApi);
  /** what is held; chosen in the form where it is not given */
  readonly scope = input<HoldScope | null>(null);
  readonly of = input<string | null>(null);
  readonly name = input('');
  readonly done = output();
  readonly left = output();
  protected readonly chosen = linkedSignal<HoldScope>(() => this.scope() ?? 'course');
  protected readonly held = linkedSignal(() => this.of());
  protected readonly called = linkedSignal(() => this.name());
  protected readonly until = signal('');
  protected readonly reason = signal('');
  protected readonly isBusy = signal(false);
  protected readonly problem = signal<string | null>(null);
  protected readonly scopes: Choice<HoldScope>[] = HOLD_SCOPES.filter(
    (scope) => this.session.canChange() || scope === 'plan' || scope === 'course',
  ).map((scope) => ({ value: scope, label: SCOPE_WORDS[scope] }));
  private readonly question = computed(() => {
    const scope = this.chosen();
    const of = this.held();
    return scope !== 'everything' && of === null ? null : { scope, of: scope === 'everything' ? null : of, until: this.until() || null };
  });
  protected readonly preview = load(toObservable(this.question).pipe(debounceTime(150)), (question) => this.api.preview(question), [
    'notices',
  ]);
  private readonly wantsCourses = computed(() => (this.scope() === null && ['plan', 'course'].includes(this.chosen()) ? true : null));
  private readonly courses = load(toObservable(this.wantsCourses), () => this.coursesApi.list());
  private readonly wantsStructure = computed(() => (this.scope() === null && this.chosen() === 'department' ? true : null));
  private readonly structure = load(toObservable(this.wantsStructure), () => this.structureApi.structure());
  protected readonly courseChoices = computed((): Choice[] =>
    (this.courses.data() ?? []).map(({ id, title }) => ({ value: id, label: title })),
  );
  protected readonly departmentChoices = computed(() => choicesOf(this.structure.data()?.departments, ({ id }: { id: string }) => id));
  /** "34 messages to come until Mon 20 Apr, about 12 people" */
  protected readonly countWords = computed(() => {
    const found = this.preview.data();
    if (!found) return '';
    if (found.notices === null) return 'More than 20,000 messages';
    return found.notices === 0 ? 'Nothing' : `${tellAmount(found.notices, 'messages')}, about ${tellAmount(found.people ?? 0, 'people')},`;
  });
  protected readonly moreSteps = computed(() => {
    const found = this.preview.data();
    return found?.notices == null ? 0 : found.notices - found.steps.reduce((sum, { count }) => sum + count, 0);
  });

  protected choose(scope: HoldScope): void {
    this.chosen.set(scope);
    this.held.set(null);
    this.called.set('');
  }

  protected hold(): void {
    const question = this.question();
    if (!question) return;
    this.isBusy.set(true);
    this.problem.set(null);
    this.api.hold({ ...question, reason: this.reason().trim() }).subscribe({
      next: () => this.done.emit(),
      error: (error: unknown) => {
        this.isBusy.set(false);
        this.problem.set(sentenceOf(error));
      },
    });
  }
}
