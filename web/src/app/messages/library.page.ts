import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { tellAmount, tellLanguages } from '@nudrik/core';
import { of } from 'rxjs';
import { PlansApi } from '../plans/plans.api.ts';
import { KindMark } from '../shared/kind-mark.ts';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { holdsWords, textsOf, type LibraryText } from './library.ts';
import { TemplateText } from './template-text.ts';

/** Every text that plans send: by whom it is used, whether it goes, and what it said before. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, KindMark, MomentPipe, RouterLink, TemplateText],
  templateUrl: './library.page.html',
  styleUrl: './library.page.css',
})
export class LibraryPage {
  private readonly api = inject(PlansApi);
  private readonly router = inject(Router);
  readonly course = input<string>();
  readonly step = input<string>();
  readonly find = input<string>();
  readonly show = input<string>();
  protected readonly languageWords = tellLanguages;
  protected readonly list = load(of(true), () => this.api.messages(), ['plans', 'notices']);
  private readonly all = computed(() => textsOf(this.list.data() ?? []));
  protected readonly texts = computed(() => {
    const find = this.find()?.trim() ?? '';
    const isOff = this.show() === 'off';
    return this.all().filter((text) => (find === '' || holdsWords(text, find)) && (!isOff || text.uses.some(({ step }) => !step.on)));
  });
  private readonly asked = computed(() => {
    const [course, step] = [this.course(), this.step()];
    return course && step ? { course, step } : null;
  });
  protected readonly chosen = computed((): LibraryText | null => {
    const asked = this.asked();
    const isIt = ({ course, step }: LibraryText['uses'][number]): boolean => course.id === asked?.course && step.id === asked.step;
    return this.all().find(({ uses }) => uses.some(isIt)) ?? null;
  });
  protected readonly versions = load(toObservable(this.asked), ({ course, step }) => this.api.messageVersions(course, step), ['plans']);

  /** "Two days to go", and other names of it. */
  protected namesOf({ uses }: LibraryText): string {
    return [...new Set(uses.map(({ step }) => step.name))].join(', ');
  }

  protected usedBy({ uses }: LibraryText): string {
    const courses = [...new Set(uses.map(({ course }) => course.title))];
    return courses.length <= 2 ? courses.join(' and ') : `${courses[0]} and ${tellAmount(courses.length - 1, 'other courses')}`;
  }

  protected offIn({ uses }: LibraryText): string {
    const off = uses.filter(({ step }) => !step.on).length;
    return off === 0 ? '' : off === uses.length ? 'switched off' : `switched off in ${off} of ${uses.length}`;
  }

  protected open({ uses }: LibraryText): void {
    const [{ course, step }] = uses as [LibraryText['uses'][number]];
    void this.router.navigate(['/plans/messages', course.id, step.id], { queryParamsHandling: 'merge' });
  }

  protected close(): void {
    void this.router.navigate(['/plans/messages'], { queryParamsHandling: 'merge' });
  }

  protected filter(change: { find?: string | null; show?: string | null }): void {
    void this.router.navigate([], { queryParams: change, queryParamsHandling: 'merge', replaceUrl: true });
  }
}
