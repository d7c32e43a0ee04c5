import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { RouterLink } from '@angular/router';
import { debounceTime } from 'rxjs';
import type { ImportForesight, ImportOrder } from '@nudrik/contract';
import { tellAmount } from '@nudrik/core';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { PeopleApi } from './people.api.ts';

/** Up to how many changes it is worked out by itself; a larger import is worked out when somebody asks. */
const AT_ONCE = 2_000;

/** What would come of taking a roster file: which requirements ask whom, and when the first mail goes. */
@Component({
  selector: 'nk-import-foresight',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, MomentPipe],
  template: `
    @if (changes() > 0) {
      <section aria-label="What would come of it">
        <h2>What would come of it</h2>
        @if (foresight.error(); as words) {
          <p class="refusal" role="alert">{{ words }}</p>
        } @else if (foresight.data(); as found) {
          @if (foresight.isLoading()) {
            <p class="quiet" role="status">Worked out again …</p>
          }
          @if (found.requirements.length) {
            <table class="list" data-testid="foresight">
              <thead><tr><th>Requirement</th><th>Course</th><th class="num">Would be asked</th><th></th><th>First mail</th></tr></thead>
              <tbody>
                @for (rule of found.requirements; track rule.id) {
                  <tr>
                    <td><a [routerLink]="['/requirements', rule.id]" target="_blank">{{ rule.name }}</a></td>
                    <td>{{ rule.course }}</td>
                    <td class="num">{{ rule.people }}</td>
                    <td class="quiet">{{ who(rule) }}</td>
                    <td>
                      @if (rule.first; as mail) {
                        {{ mail.at | moment: 'moment' : mail.zone : 'marked' }} <span class="quiet">{{ mail.step }} to {{ mail.name }}</span>
                      } @else {
                        <span class="quiet">none is planned</span>
                      }
                    </td>
                  </tr>
                }
              </tbody>
            </table>
          } @else {
            <p class="quiet">No requirement asks anything new of these people, and no mail would follow.</p>
          }
          @if (losses(found); as words) {<p>{{ words }}</p>}
        } @else if (asked()) {
          <p class="loading">Asking the requirements …</p>
        } @else {
          <p><button class="link" (click)="isAsked.set(true)">See which requirements would ask whom, and when the first mail goes</button></p>
        }
      </section>
    }
  `,
  styles: `:host { display: block; margin-top: 24px; max-width: 1080px; }`,
})
export class ImportForesightPart {
  private readonly api = inject(PeopleApi);
  readonly file = input.required<File>();
  readonly order = input.required<ImportOrder>();
  /** how many changes would be taken */
  readonly changes = input.required<number>();
  protected readonly isAsked = signal(false);
  protected readonly asked = computed(() =>
    this.changes() > 0 && (this.isAsked() || this.changes() <= AT_ONCE)
      ? { file: this.file(), order: this.order(), changes: this.changes() }
      : null,
  );
  protected readonly foresight = load(toObservable(this.asked).pipe(debounceTime(250)), ({ file, order }) =>
    this.api.foreseeImport(file, order),
  );

  protected who({ names, people }: ImportForesight['requirements'][number]): string {
    return people > names.length ? `${names.join(', ')} and ${people - names.length} more` : names.join(', ');
  }

  protected losses({ withdrawn, asked }: ImportForesight): string | null {
    const words = [
      withdrawn && `${tellAmount(withdrawn, 'open assignments')} would be withdrawn`,
      asked && `about ${tellAmount(asked, 'open assignments')} of people who fall out of an audience you are asked on Today`,
    ].filter(Boolean);
    return words.length ? `${words.join('; ')}.` : null;
  }
}
