import { HttpClient } from '@angular/common/http';
import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import type { MyLeaveView } from '@nudrik/contract';
import type { Observable } from 'rxjs';
import { DayPipe } from '../shared/moment.pipe.ts';
import { DateField } from '../shared/pick/date-field.ts';
import { SelectField, type Choice } from '../shared/pick/select.ts';
import { sentenceOf } from '../shared/refusal.ts';

/** While a manager is away: from when, until when, and who hears of their people instead. */
@Component({
  selector: 'nk-my-leave',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [DateField, DayPipe, FormsModule, SelectField],
  template: `
    <section>
      <h2>While you are away</h2>
      @for (one of view().leave; track one.id) {
        <p>{{ one.from | day: 'date' }} {{ one.to ? 'to' : 'until further notice' }} {{ one.to | day: 'date' }}: <span [class.soon]="!one.cover">{{ one.cover ? one.cover + ' covers' : 'nobody covers, so your own manager hears of your people' }}</span>&ngsp;<button class="link" (click)="drop(one.id)" [attr.aria-label]="'Take away the leave from ' + one.from">Take it away</button></p>
      } @empty {<p class="quiet">No leave is entered. Enter it before you go: what is said of your people then reaches whoever covers.</p>}
      @if (problem()) {<p class="refusal" role="alert">{{ problem() }}</p>}
      <form class="gap" (ngSubmit)="save()">
        <div class="field"><span>From</span><nk-date label="Away from" name="from" [ngModel]="from()" (ngModelChange)="from.set($event ?? '')" /></div>
        <div class="field"><span>Until</span><nk-date label="Away until" name="to" [ngModel]="to()" (ngModelChange)="to.set($event ?? '')" /></div>
        <div class="field"><span>Who covers</span><nk-select label="Who covers" name="cover" [options]="covers()" [ngModel]="cover()" (ngModelChange)="cover.set($event)" /></div>
        <button class="button" [disabled]="!from() || !to()">Enter it</button>
      </form>
    </section>
  `,
  styles: `section { margin-top: 22px; } .gap { align-items: end; } nk-select { min-width: 200px; }`,
})
export class MyLeave {
  private readonly http = inject(HttpClient);
  protected readonly view = signal<MyLeaveView>({ leave: [], covers: [] });
  protected readonly covers = computed((): Choice[] => [
    { value: '', label: 'nobody' },
    ...this.view().covers.map(({ id, name }) => ({ value: id, label: name })),
  ]);
  protected readonly from = signal('');
  protected readonly to = signal('');
  protected readonly cover = signal('');
  protected readonly problem = signal<string | null>(null);

  constructor() {
    this.take(this.http.get<MyLeaveView>('/api/my-leave'));
  }

  protected save(): void {
    this.take(this.http.post<MyLeaveView>('/api/my-leave', { from: this.from(), to: this.to(), coverId: this.cover() || null }), true);
  }

  protected drop(id: string): void {
    this.take(this.http.delete<MyLeaveView>(`/api/my-leave/${id}`));
  }

  private take(asked: Observable<MyLeaveView>, isNew = false): void {
    this.problem.set(null);
    asked.subscribe({
      next: (view) => {
        this.view.set(view);
        if (!isNew) return;
        this.from.set('');
        this.to.set('');
        this.cover.set('');
      },
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }
}
