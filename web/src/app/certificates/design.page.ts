import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { debounceTime } from 'rxjs';
import type { DesignSeen, DesignView } from '@nudrik/contract';
import { STANDARD_DESIGN, tellAmount, tellList, type Design } from '@nudrik/core';
import { SessionStore } from '../access/session.store.ts';
import { newKey } from '../shared/key.ts';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { SelectField, type Choice } from '../shared/pick/select.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { WorkInHand } from '../shared/work-in-hand.ts';
import { CertificatesApi } from './certificates.api.ts';
import { DesignCanvas, type Piece } from './design-canvas.ts';
import { DesignSheetPanel } from './design-sheet.ts';
import { DesignState, NEW_ELEMENTS, type NewElement } from './design-state.ts';
import { SheetPictures } from './sheet-picture.ts';

/** One design of certificates: what stands where, as it looks for the people whose names show what it does. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [DesignCanvas, DesignSheetPanel, FormsModule, MomentPipe, RouterLink, SelectField],
  templateUrl: './design.page.html',
  styles: `
    .title { font-family: var(--head); font-size: 24px; font-weight: 600; max-width: 420px; padding: 2px 6px; margin-left: -7px; border-color: transparent; background: none; }
    .title:hover:not(:disabled), .title:focus { border-color: var(--rule-strong); background: var(--sheet); }
    .title:disabled { color: var(--ink); }
    .remark { margin: 8px 0 0; padding: 5px 12px; }
    .shows { margin-top: 22px; }
    .shows ul { list-style: none; margin: 8px 0 0; padding: 0; display: grid; grid-template-columns: repeat(auto-fill, minmax(220px, 1fr)); gap: 16px; }
    .shows img { display: block; width: 100%; border: 1px solid var(--rule); }
    .shows p { margin-top: 4px; }
    .versions { list-style: none; margin: 0; padding: 0; }
    .versions li { padding: 3px 0; }
  `,
  host: { '(document:keydown)': 'key($event)' },
})
export class DesignPage {
  private readonly api = inject(CertificatesApi);
  private readonly pictures = inject(SheetPictures);
  protected readonly session = inject(SessionStore);
  readonly id = input.required<string>();
  protected readonly view = load(toObservable(this.id), (id) => this.api.design(id));
  protected readonly people = load(toObservable(this.id), () => this.api.designPeople(), ['people']);
  protected readonly state = new DesignState(STANDARD_DESIGN);
  protected readonly name = signal('');
  private readonly version = signal<number | null>(null);
  protected readonly course = signal<string | null>(null);
  /** whose certificate is on the sheet; empty is the first of those who are shown */
  protected readonly person = signal('');
  /** what was found again began from another version than the newest */
  protected readonly foundOlder = signal<string | null>(null);
  protected readonly isSaving = signal(false);
  protected readonly problem = signal<string | null>(null);
  protected readonly told = signal<string | null>(null);
  private save_ = newKey();
  protected readonly isOff = computed(() => !this.session.canChange());
  private readonly draft = computed(() => ({ name: this.name(), design: this.state.design() }));
  protected readonly isChanged = computed(() => {
    const stored = this.view.data();
    if (!stored || this.version() === null) return false;
    return this.name() !== stored.name || JSON.stringify(this.state.design()) !== JSON.stringify(stored.design);
  });
  readonly work = new WorkInHand<{ name: string; design: Design }>({
    key: computed(() => `design/${this.id()}`),
    draft: this.draft,
    version: this.version,
    isChanged: this.isChanged,
  });
  protected readonly additions = Object.entries(NEW_ELEMENTS).map(([value, label]): Choice<NewElement> => ({ value: value as NewElement, label })); // prettier-ignore
  protected readonly courses = computed((): Choice<string | null>[] => [
    { value: null, label: 'a course that is made up' },
    ...(this.people.data()?.courses ?? []).map(({ id, title }) => ({ value: id, label: title })),
  ]);
  private readonly shown = computed(() => this.people.data()?.people ?? null);
  protected readonly whom = computed((): Choice[] => [
    { value: '', label: 'the first below' },
    ...(this.shown() ?? []).map(({ id, name, why }, i) => ({ value: id ?? `made-up-${i}`, label: `${name}, ${why}` })),
  ]);
  protected readonly missingNames = computed(() => tellList((this.shown() ?? []).filter(({ missing }) => missing.length > 0).map(({ name, missing }) => `${name} (${missing.join(' ')})`))); // prettier-ignore
  private readonly ordered = computed(() => {
    const people = this.shown();
    if (people === null) return null;
    const at = people.findIndex(({ id }, i) => (id ?? `made-up-${i}`) === this.person());
    return at <= 0 ? people : [people[at]!, ...people.filter((_, i) => i !== at)];
  });
  private readonly asked = computed(() => {
    const people = this.ordered();
    if (people === null || people.length === 0 || this.version() === null) return null;
    return { design: this.state.design(), courseId: this.course(), people: people.map(({ id }) => id) };
  });
  protected readonly look = load(toObservable(this.asked).pipe(debounceTime(120)), (asked) => this.api.lookAtDesign(asked));
  /** what was drawn last, with where each element stood then */
  private readonly drawn = signal<{ seen: DesignSeen; sheets: string[]; pieces: ReadonlyMap<string, Piece>; background: string | null; people: readonly { why: string }[] } | null>(null); // prettier-ignore
  protected readonly pieces = computed(() => this.drawn()?.pieces ?? new Map<string, Piece>());
  protected readonly background = computed(() => (this.state.design().backgroundId === null ? null : (this.drawn()?.background ?? null)));
  protected readonly remarks = computed(() => this.drawn()?.seen.remarks ?? []);
  protected readonly sheets = computed(() => {
    const drawn = this.drawn();
    return (drawn?.seen.sheets ?? []).map(({ name, faults }, i) => ({ name, faults, src: drawn!.sheets[i]!, why: drawn!.people[i]?.why ?? '' })); // prettier-ignore
  });
  protected readonly chosenFaults = computed(() => [...this.remarks(), ...(this.drawn()?.seen.sheets ?? []).flatMap(({ faults }) => faults)]); // prettier-ignore
  protected readonly usedBy = computed(() => {
    const seen = this.view.data();
    if (!seen) return '';
    const courses = seen.courses.map(({ title }) => title);
    const use = courses.length > 0 ? `Used by ${tellList(courses)}` : seen.isHouse ? 'Used' : 'Used by no course yet';
    return `${use}${seen.isHouse ? `${courses.length > 0 ? ', and' : ''} where a course says nothing else` : ''}. What was issued keeps its version.`;
  });
  protected readonly amount = tellAmount;

  constructor() {
    effect(() => {
      const stored = this.view.data();
      if (stored) untracked(() => this.take(stored));
    });
    // one that no course names is looked at as in a real course, too
    effect(() => {
      const [first] = this.people.data()?.courses ?? [];
      if (first && untracked(this.course) === null) this.course.set(first.id);
    });
    effect(() => {
      const seen = this.look.data();
      if (seen) void untracked(() => this.draw(seen));
    });
  }

  /** What is stored comes onto the page, once, with work that was kept. */
  private take(stored: DesignView): void {
    if (this.version() === stored.version) return;
    const isFirst = this.version() === null;
    this.name.set(stored.name);
    this.version.set(stored.version);
    if (isFirst) {
      this.state.reset(stored.design);
      this.course.set(stored.courses[0]?.id ?? null);
      const kept = this.work.find(`design/${stored.id}`);
      if (kept) {
        this.name.set(kept.draft.name);
        this.state.set('found again', kept.draft.design);
        if (kept.version !== stored.version) this.foundOlder.set(`Version ${stored.version} was saved since, by ${stored.changedBy}.`);
      }
    }
  }

  /** As it is stored, without what was found again. */
  protected begin(): void {
    const stored = this.view.data()!;
    this.work.drop();
    this.foundOlder.set(null);
    this.name.set(stored.name);
    this.state.reset(stored.design);
  }

  private async draw(seen: DesignSeen): Promise<void> {
    const boxes = new Map(this.asked()?.design.elements.map(({ id, box }) => [id, box]) ?? []);
    const people = this.ordered() ?? [];
    const { backgroundId } = this.state.design();
    const behind = backgroundId === null ? [] : [`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${this.state.sheet().w} ${this.state.sheet().h}"><image width="100%" height="100%" preserveAspectRatio="xMidYMid slice" href="picture:${backgroundId}"/></svg>`]; // prettier-ignore
    const svgs = [...seen.sheets.map(({ svg }) => svg), ...seen.pieces.map(({ svg }) => svg), ...behind];
    const shown = await this.pictures.show(svgs);
    if (this.look.data() !== seen) return; // it was looked at again meanwhile
    const from = seen.sheets.length;
    this.drawn.set({
      seen,
      people,
      sheets: shown.slice(0, from),
      pieces: new Map(seen.pieces.flatMap(({ element }, i) => (boxes.has(element) ? [[element, { src: shown[from + i]!, box: boxes.get(element)! }] as const] : []))), // prettier-ignore
      background: behind.length > 0 ? shown.at(-1)! : null,
    });
  }

  protected save(): void {
    const version = this.version();
    if (version === null) return;
    this.isSaving.set(true);
    this.problem.set(null);
    this.told.set(null);
    this.api.saveDesign(this.id(), { name: this.name().trim(), version, save: this.save_, design: this.state.design() }).subscribe({
      next: (stored) => {
        this.isSaving.set(false);
        this.save_ = newKey();
        this.work.drop();
        this.name.set(stored.name);
        this.version.set(stored.version);
        this.told.set(`Version ${stored.version} is kept: certificates that are issued from now on look so.`);
        this.view.reload();
      },
      error: (error: unknown) => {
        this.isSaving.set(false);
        this.problem.set(sentenceOf(error));
      },
    });
  }

  /** An earlier version comes back as a change that is not saved yet. */
  protected bringBack(version: number): void {
    this.api.designVersion(this.id(), version).subscribe({
      next: (design) => {
        this.state.history.rest();
        this.state.history.change(`version ${version}`, () => design);
        this.told.set(`Version ${version} is on the sheet again. It counts once you save it.`);
      },
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }

  protected key(event: KeyboardEvent): void {
    if (!(event.ctrlKey || event.metaKey) || this.isOff()) return;
    // in a text that is its own
    const target = event.target as HTMLElement;
    if (target.isContentEditable || /^(INPUT|TEXTAREA)$/.test(target.tagName)) return;
    const pressed = event.key.toLowerCase();
    if (pressed === 'z') {
      event.preventDefault();
      if (event.shiftKey) this.state.history.redo();
      else this.state.history.undo();
    } else if (pressed === 'y') {
      event.preventDefault();
      this.state.history.redo();
    } else if (pressed === 'd' && this.state.element()) {
      event.preventDefault();
      this.state.duplicate();
    }
  }
}
