import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import type { GroupLetterView } from '@nudrik/contract';
import { dayOf, NAMES_THEMSELVES, tellAmount, tellCondition, tellDate, type Names } from '@nudrik/core';
import { PlansApi } from '../plans/plans.api.ts';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { AssignmentsApi } from './assignments.api.ts';

/** Letters that go on to whoever comes to be in a group of a course: whom they reached, until when, and how they end. */
@Component({
  selector: 'nk-group-letters',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [MomentPipe],
  template: `
    @if (list().length > 0) {
      <h2>Letters to groups</h2>
      @for (letter of list(); track letter.id) {
        <p>
          <strong>{{ letter.name }}</strong
          >&ngsp;<span class="quiet">{{ letter.at | moment: 'date' }}, {{ letter.by }}</span>
          <br />{{ whom(letter) }} {{ reached(letter) }}
          <br />
          @if (letter.goesOn) {
            <span>Goes on until {{ day(letter.until) }}.</span>
            @if (canEnd()) {
              &ngsp;<button class="link" (click)="end(letter)" [attr.aria-label]="'End “' + letter.name + '”'">End it</button>
            }
          } @else {
            <span class="quiet">{{ over(letter) }}</span>
          }
        </p>
      }
    }
    @if (problem() ?? letters.error(); as words) {
      <p class="refusal" role="alert">{{ words }}</p>
    }
  `,
})
export class GroupLetters {
  private readonly api = inject(AssignmentsApi);
  private readonly plans = inject(PlansApi);
  readonly course = input.required<string>();
  readonly canEnd = input(false);
  protected readonly letters = load(toObservable(this.course), (course) => this.api.groupLetters(course), ['assignments']);
  protected readonly list = computed(() => this.letters.data() ?? []);
  private readonly asks = computed(() => (this.list().some(({ onlyIf }) => onlyIf !== null) ? this.course() : null));
  private readonly choices = load(toObservable(this.asks), (course) => this.plans.choices(course), ['people']);
  protected readonly problem = signal<string | null>(null);
  private readonly names = computed((): Names => {
    const facts = this.choices.data();
    const look = (list: readonly { id: string; name: string }[] = []): ((id: string) => string) => {
      const known = new Map(list.map(({ id, name }) => [id, name]));
      return (id) => known.get(id) ?? id;
    };
    return {
      ...NAMES_THEMSELVES,
      department: look(facts?.departments),
      site: look(facts?.sites),
      group: look(facts?.groups),
      course: look((facts?.courses ?? []).map(({ id, title }) => ({ id, name: title }))),
    };
  });

  protected whom({ onlyIf }: GroupLetterView): string {
    return onlyIf === null ? 'To everybody who has the course open:' : `To whoever has the course open, only if ${tellCondition(onlyIf, this.names())}:`; // prettier-ignore
  }

  protected reached({ reminded, joined }: GroupLetterView): string {
    return `${tellAmount(reminded, 'people')} so far${joined > 0 ? `, ${joined} of them came later` : ''}.`;
  }

  protected over({ ended, until }: GroupLetterView): string {
    return ended ? `Ended by ${ended.by}.` : `Over since ${this.day(until)}.`;
  }

  protected day(date: string): string {
    return tellDate(dayOf(date));
  }

  protected end(letter: GroupLetterView): void {
    this.problem.set(null);
    this.api.endLetter(letter.id).subscribe({
      next: () => this.letters.reload(),
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }
}
