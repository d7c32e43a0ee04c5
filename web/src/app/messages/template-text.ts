import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { plainWords, segmentsOf, type Body } from '@nudrik/core';

/** A template's text with its merge fields as marked words. */
@Component({
  selector: 'nk-template-text',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `@for (part of parts(); track $index) {@if (part.field !== null) {<span class="mark">{{ part.field }}</span>} @else {{{ part.text }}}}`,
  styles: `:host { white-space: pre-line; } .mark { background: var(--plum-wash); padding: 0 5px; border-radius: 2px; }`,
})
export class TemplateText {
  readonly text = input.required<Body>();
  protected readonly parts = computed(() =>
    segmentsOf(plainWords(this.text())).map((segment) =>
      'field' in segment ? { field: segment.field, text: '' } : { field: null, text: segment.text },
    ),
  );
}
