import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';

/** The footnote marks of the kinds of notices; the tone is a colour of the page, '' is ink. */
const MARKS: Readonly<Record<string, { letter: string; tone: string }>> = {
  invitation: { letter: 'I', tone: '' },
  onboarding: { letter: 'O', tone: '' },
  reminder: { letter: 'R', tone: 'soon' },
  late: { letter: 'L', tone: 'late' },
  manager: { letter: 'M', tone: 'late' },
  certificate: { letter: 'C', tone: 'done' },
  'follow-up': { letter: 'F', tone: '' },
};

export const markOf = (kind: string): { letter: string; tone: string } => MARKS[kind] ?? { letter: '?', tone: '' };

/** The kind of a notice as a timetable's footnote mark: a letter in a hairline square, never colour alone. */
@Component({
  selector: 'nk-kind',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<span [class]="mark().tone" role="img" [attr.aria-label]="kind()" [title]="kind()">{{ mark().letter }}</span>`,
  styles: `
    span {
      display: inline-block; width: 18px; height: 18px; border: 1px solid currentColor; border-radius: 2px; background: var(--sheet);
      font-size: 11px; line-height: 16px; font-weight: 700; text-align: center; vertical-align: 1px;
    }
    span[class=''] { border-color: var(--rule-strong); }
  `,
})
export class KindMark {
  readonly kind = input.required<string>();
  protected readonly mark = computed(() => markOf(this.kind()));
}
