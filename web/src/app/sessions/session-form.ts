import { ChangeDetectionStrategy, Component, computed, inject, input, linkedSignal, output, signal, untracked } from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import type { SessionChangeForeseen, SessionDraft } from '@nudrik/contract';
import { tellAmount } from '@nudrik/core';
import { catchError, map, of, type Observable } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';
import { PersonPick } from '../people/person-pick.ts';
import { newKey } from '../shared/key.ts';
import { zoneWords } from '../shared/moment.pipe.ts';
import { DateField } from '../shared/pick/date-field.ts';
import { NumberField } from '../shared/pick/number-field.ts';
import { SelectField, type Choice } from '../shared/pick/select.ts';
import { TimeField } from '../shared/pick/time-field.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { StructureApi } from '../structure/structure.api.ts';
import { SessionForeseenList } from './foreseen.ts';
import { SessionsApi } from './sessions.api.ts';

/** A session as one writes it: a new one is made at once, of another one it is seen first who hears what. */
@Component({
  selector: 'nk-session-form',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [DateField, FormsModule, NumberField, PersonPick, SelectField, SessionForeseenList, TimeField],
  template: `
    @let it = draft();
    <form (ngSubmit)="id() ? look() : make()">
      <div class="grid">
        <label class="field wide"><span>What it is called</span><input class="input" name="title" maxlength="120" [ngModel]="it.title" (ngModelChange)="set({ title: $event })" /></label>
        <div class="field"><span>On</span><nk-date label="Day of the session" name="on" [site]="site()" [ngModel]="it.on" (ngModelChange)="setDay($event ?? '')" /></div>
        <div class="field"><span>From</span><nk-time label="Starts at" name="starts" [ngModel]="it.starts" (ngModelChange)="set({ starts: $event ?? '' })" /></div>
        <div class="field"><span>Until</span><nk-time label="Ends at" name="ends" [ngModel]="it.ends" (ngModelChange)="set({ ends: $event ?? '' })" /></div>
        <div class="field"><span>On the clock of{{ zoneOf() }}</span><nk-select label="Site" name="site" [options]="sites()" [ngModel]="site()" (ngModelChange)="set({ site: $event })" /></div>
        <label class="field"><span>Place</span><input class="input" name="place" maxlength="200" [ngModel]="it.place ?? ''" (ngModelChange)="set({ place: $event || null })" /></label>
        <label class="field"><span>Link, where it is online</span><input class="input" name="link" maxlength="500" [ngModel]="it.link ?? ''" (ngModelChange)="set({ link: $event || null })" /></label>
        <div class="field"><span>Seats</span><nk-number label="Seats" name="seats" [ngModel]="it.seats" (ngModelChange)="set({ seats: $event ?? 0 })" /></div>
        <div class="field"><span>Who leads it, and records who came</span><nk-person-pick label="Who leads it" placeholder="type a name" [current]="trainer()" (picked)="lead($event)" /></div>
      </div>
      @if (id()) {<label class="field"><span>Why, as those concerned read it</span><input class="input" name="told" maxlength="500" [(ngModel)]="told" /></label>}
      @if (problem()) {<p class="refusal" role="alert">{{ problem() }}</p>}
      @if (foreseen(); as seen) {
        <nk-session-foreseen [foreseen]="seen" none="Nobody has to hear of it." />
        <p class="gap"><button type="button" class="button filled" (click)="save()" [disabled]="isBusy()">Change it{{ seen.people.length ? ', which ' + people(seen.people.length) + ' hear' : '' }}</button><button type="button" class="button plain" (click)="foreseen.set(null)">Go on writing</button></p>
      } @else {
        <p class="gap"><button class="button filled" [disabled]="isBusy() || !isWhole()">{{ id() ? 'See who hears what' : 'Make the session' }}</button><button type="button" class="button plain" (click)="left.emit()">Leave it</button></p>
      }
    </form>
  `,
  styles: `
    .grid { display: grid; grid-template-columns: repeat(4, minmax(0, 1fr)); gap: 0 16px; }
    .wide { grid-column: span 1; }
    form { border-top: 1px solid var(--rule); border-bottom: 1px solid var(--rule); padding: 14px 0; margin-bottom: 16px; }
  `,
})
export class SessionForm {
  private readonly api = inject(SessionsApi);
  private readonly session = inject(SessionStore);
  readonly course = input.required<string>();
  readonly unit = input.required<string>();
  /** of one that is there; null makes a new one */
  readonly id = input<string | null>(null);
  readonly from = input.required<SessionDraft>();
  readonly leader = input<string | null>(null);
  readonly saved = output<string>();
  readonly left = output();
  // what is written stands, whatever becomes of the session meanwhile
  protected readonly draft = linkedSignal({ source: this.id, computation: () => untracked(this.from) });
  protected readonly trainer = linkedSignal({ source: this.id, computation: () => untracked(this.leader) });
  protected readonly foreseen = signal<SessionChangeForeseen | null>(null);
  protected readonly isBusy = signal(false);
  protected readonly problem = signal<string | null>(null);
  protected told = '';
  private readonly key = newKey();
  private readonly places = toSignal(inject(StructureApi).structure().pipe(map(({ sites }) => sites), catchError(() => of([]))), { initialValue: [] }); // prettier-ignore
  protected readonly sites = computed((): Choice[] => this.places().map(({ id, name }) => ({ value: id, label: name })));
  protected readonly zoneOf = computed(() => {
    const zone = this.places().find(({ id }) => id === this.site())?.zone;
    return zone ? `: ${zoneWords(zone)}` : '';
  });
  /** where none is chosen: the first whose clock is the house's */
  protected readonly site = computed(
    () => this.draft().site || (this.places().find(({ zone }) => zone === this.session.zone()) ?? this.places()[0])?.id || '',
  );
  protected readonly isWhole = computed(() => {
    const { title, on, starts, ends, seats } = this.draft();
    return title.trim() !== '' && on !== '' && starts !== '' && ends !== '' && seats > 0;
  });

  protected people(count: number): string {
    return tellAmount(count, 'people');
  }

  protected set(change: Partial<SessionDraft>): void {
    this.foreseen.set(null);
    this.draft.set({ ...this.draft(), ...change });
  }

  /** Most sessions end on the day on which they begin. */
  protected setDay(on: string): void {
    const { on: before, endsOn } = this.draft();
    this.set({ on, ...(endsOn === before || endsOn < on ? { endsOn: on } : {}) });
  }

  protected lead({ id, name }: { id: string; name: string }): void {
    this.trainer.set(name);
    this.set({ trainerId: id });
  }

  protected make(): void {
    this.ask(this.api.make(this.course(), this.unit(), { ...this.draft(), site: this.site(), save: this.key }), () =>
      this.saved.emit('The session is made.'),
    );
  }

  protected look(): void {
    this.ask(this.api.foresee(this.id()!, this.change()), (foreseen) => this.foreseen.set(foreseen));
  }

  protected save(): void {
    this.ask(this.api.change(this.id()!, this.change()), ({ words }) => this.saved.emit(words));
  }

  private change() {
    return { ...this.draft(), site: this.site(), told: this.told.trim() || null };
  }

  private ask<T>(asked: Observable<T>, then: (answer: T) => void): void {
    this.isBusy.set(true);
    this.problem.set(null);
    asked.subscribe({
      next: (answer) => {
        this.isBusy.set(false);
        then(answer);
      },
      error: (error: unknown) => {
        this.isBusy.set(false);
        this.problem.set(sentenceOf(error));
      },
    });
  }
}
