import { HttpClient } from '@angular/common/http';
import { ChangeDetectionStrategy, Component, inject, input } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import type { HouseArea, HouseChange } from '@nudrik/contract';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';

/** Who changed what the house goes by, and when; the newest first. */
@Component({
  selector: 'nk-house-record',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [MomentPipe],
  styles: ':host { display: block; margin-top: 28px; }',
  template: `
    <section>
      <h2>Record of changes</h2>
      @if (changes.error()) {
        <p class="refusal" role="alert">{{ changes.error() }}</p>
      }
      @if (changes.data(); as list) {
        @if (list.length > 0) {
          <table class="list">
            <tbody>
              @for (change of list; track $index) {
                <tr>
                  <td class="nowrap">{{ change.at | moment }}</td>
                  <td>{{ change.words }}</td>
                  <td class="quiet nowrap">{{ change.byWhom }}</td>
                </tr>
              }
            </tbody>
          </table>
        } @else {
          <p class="quiet">Nothing was changed yet.</p>
        }
      }
    </section>
  `,
})
export class HouseRecord {
  private readonly http = inject(HttpClient);
  readonly area = input.required<HouseArea>();
  protected readonly changes = load(toObservable(this.area), (area) => this.http.get<HouseChange[]>(`/api/record/${area}`), [
    'settings',
    'people',
    'feed',
    'keeping',
  ]);
}
