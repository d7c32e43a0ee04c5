import { CdkDrag, CdkDragHandle, CdkDropList, CdkDropListGroup, type CdkDragDrop } from '@angular/cdk/drag-drop';
import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked, viewChild } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { ActivatedRoute, Router } from '@angular/router';
import { tellRelease, typedKind, UNIT_KINDS, unitKind, type OutlineLine } from '@nudrik/core';
import type { MenuItem } from 'primeng/api';
import { Menu } from 'primeng/menu';
import { CourseFacts } from './course-facts.ts';
import { asKind, copyUnit, newUnit, OUTLINE, type SectionForm, type UnitForm } from './course-form.ts';
import { CourseStore } from './course.store.ts';
import { CourseUploads } from './course-uploads.ts';
import { UnitSheet } from './unit-sheet.ts';

/** The outline of a course: a line for each section and unit, written and moved by keys, and the chosen unit beside it. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, CdkDropListGroup, CdkDropList, CdkDrag, CdkDragHandle, Menu, CourseFacts, UnitSheet],
  templateUrl: './outline.tab.html',
  styleUrl: './outline.tab.css',
})
export class OutlineTab {
  protected readonly store = inject(CourseStore);
  private readonly router = inject(Router);
  private readonly route = inject(ActivatedRoute);
  private readonly menu = viewChild.required(Menu);
  /** the unit whose sheet is open, and the field of the course that somebody was led to */
  readonly unit = input<string>();
  readonly field = input<string>();
  protected readonly said = signal('');
  protected readonly uploads = inject(CourseUploads);
  /** the section over which files are held */
  protected readonly over = signal<string | null>(null);
  protected readonly kinds = UNIT_KINDS;
  protected readonly kindWords = (unit: UnitForm): string => unitKind(unit.kind).words;
  protected readonly opened = computed(() => this.store.units().find(({ id, key }) => id === this.unit() || key === this.unit()) ?? null);
  protected readonly faultsOf = computed(() => {
    const faults = new Map<string, string>();
    for (const { unit, words } of this.store.faults())
      if (unit !== null) faults.set(unit, [faults.get(unit) ?? '', words].join(' ').trim());
    return faults;
  });
  /** what is wrong with the course itself, beside its units */
  protected readonly others = computed(() => this.store.faults().filter(({ unit }) => unit === null));
  protected readonly acts = signal<MenuItem[]>([]);

  constructor() {
    // its address names a unit by its id as soon as it has one: then it is found again
    effect(() => {
      const unit = this.opened();
      const isNamedAnew = unit && this.unit() === unit.key && !unit.id.startsWith('new-');
      // where somebody is on the way elsewhere, that is where they go
      if (isNamedAnew && untracked(() => this.router.getCurrentNavigation()) === null) untracked(() => this.show(unit));
    });
    // what an edit says has the cursor gets it, once it is there
    effect(() => {
      const line = this.store.line();
      if (!line) return;
      const section = untracked(this.store.form)?.sections[line.section];
      const key = line.unit === null ? section?.key : section?.units[line.unit]?.key;
      if (key) setTimeout(() => document.getElementById(`line-${key}`)?.focus());
    });
  }

  protected opens(unit: UnitForm): string {
    if (unit.release === null) return '';
    return `opens ${tellRelease(unit.release, (id) => this.store.units().find((other) => other.id === id)?.title ?? null)}`;
  }

  protected show(unit: UnitForm | null): void {
    void this.router.navigate([], {
      relativeTo: this.route,
      queryParams: { unit: unit?.id.startsWith('new-') ? unit.key : (unit?.id ?? null) },
      replaceUrl: true,
    });
  }

  /** Esc in the sheet: back to the line. */
  protected back(unit: UnitForm): void {
    this.show(null);
    setTimeout(() => document.getElementById(`line-${unit.key}`)?.focus());
  }

  protected addUnit(line: OutlineLine | null): void {
    this.store.arrange('add', (outline, sections) => outline.addUnit(sections, line, newUnit()));
  }

  protected addSection(line: OutlineLine | null): void {
    this.store.arrange('add section', (outline, sections) => outline.addSection(sections, line, ''));
  }

  protected type(unit: UnitForm, title: string): void {
    this.store.setUnit(unit.key, { title });
  }

  /** "link: Rules of the port" says its kind. */
  protected readKind({ key }: UnitForm): void {
    // as it stands now: the line may have been typed in since it was drawn
    const unit = this.store.units().find((other) => other.key === key);
    if (!unit) return;
    const typed = typedKind(unit.title);
    if (!typed || (unit.kind !== typed.kind && !this.isPlain(unit))) return;
    const { title } = typed;
    this.store.setUnit(unit.key, { ...(unit.kind === typed.kind ? {} : asKind(unit, typed.kind)), title });
    this.said.set(`${title || 'The unit'} is a ${unitKind(typed.kind).words}`);
  }

  /** Nothing stands in it that would be lost. */
  private isPlain({ kind, body, url, fileId }: UnitForm): boolean {
    return !fileId && (body ?? '').replace(/<[^>]*>/g, '').trim() === '' && (kind !== 'link' || !url || url === 'https://');
  }

  protected key(event: KeyboardEvent, line: OutlineLine, unit: UnitForm | null, section: SectionForm): void {
    const text = event.target as HTMLInputElement;
    const act = this.actOf(event, text, line, unit, section);
    if (!act) return;
    event.preventDefault();
    act();
  }

  private actOf(
    event: KeyboardEvent,
    text: HTMLInputElement,
    line: OutlineLine,
    unit: UnitForm | null,
    section: SectionForm,
  ): (() => void) | null {
    const { key, altKey, shiftKey } = event;
    const isCommand = event.ctrlKey || event.metaKey;
    const go = (step: -1 | 1) => (): void => {
      const next = OUTLINE.next(this.store.form()!.sections, line, step);
      if (next) this.store.line.set(next);
    };
    if (altKey && (key === 'ArrowUp' || key === 'ArrowDown')) {
      if (shiftKey) return () => this.duplicate(line);
      return () => this.move(line, key === 'ArrowUp' ? -1 : 1, unit?.title ?? section.title);
    }
    if (altKey && key === 'ArrowRight') return () => this.lower(line);
    if (altKey && key === 'ArrowLeft') return () => this.raise(line, unit);
    if (key === 'Enter' && isCommand)
      return (
        unit &&
        ((): void => {
          this.readKind(unit);
          this.show(unit);
        })
      );
    if (key === 'Enter' && shiftKey) return () => this.addSection(line);
    if (key === 'Enter')
      return () => {
        if (unit) this.readKind(unit);
        this.addUnit(line);
      };
    // on an empty line Tab says what it is to be; on one that is written it goes to the next field
    if (key === 'Tab' && text.value === '')
      return shiftKey ? unit && (() => this.raise(line, unit)) : unit === null && line.section > 0 ? () => this.lower(line) : null;
    if (key === 'Backspace' && text.value === '' && (unit ? this.isPlain(unit) : section.units.length === 0))
      return () => this.remove(line);
    if (key === 'ArrowUp' && !isCommand) return go(-1);
    if (key === 'ArrowDown' && !isCommand) return go(1);
    return null;
  }

  protected move(line: OutlineLine, step: -1 | 1, title: string): void {
    this.store.arrange('move', (outline, sections) => outline.move(sections, line, step));
    this.said.set(`${title || 'The line'} moved ${step === -1 ? 'up' : 'down'}`);
  }

  private lower(line: OutlineLine): void {
    this.store.arrange('lower', (outline, sections) => outline.lower(sections, line, (title) => newUnit('page', title)));
  }

  private raise(line: OutlineLine, unit: UnitForm | null): void {
    if (!unit) return;
    if (!this.isPlain(unit)) return this.said.set(`${unit.title} has content, which a heading cannot keep: it stays a unit`);
    this.store.arrange('raise', (outline, sections) => outline.raise(sections, line, ({ title }) => title));
  }

  protected duplicate(line: OutlineLine): void {
    this.store.arrange('copy', (outline, sections) => outline.duplicate(sections, line, copyUnit));
  }

  protected remove(line: OutlineLine): void {
    this.store.arrange('remove', (outline, sections) => outline.remove(sections, line));
    this.said.set('Removed; Undo brings it back');
  }

  protected openActs(event: Event, line: OutlineLine, unit: UnitForm | null): void {
    this.acts.set([
      ...(unit ? [{ label: 'Open', command: () => this.show(unit) }] : [{ label: 'Add a unit', command: () => this.addUnit(line) }]),
      { label: 'Move up', command: () => this.move(line, -1, '') },
      { label: 'Move down', command: () => this.move(line, 1, '') },
      { label: 'Duplicate', command: () => this.duplicate(line) },
      { label: unit ? 'Remove' : 'Remove with its units', command: () => this.remove(line) },
    ]);
    this.menu().toggle(event);
  }

  /** Files from outside; lines that are dragged are another matter. */
  protected hold(event: DragEvent, section: string | null): void {
    if (!this.store.canWrite() || !event.dataTransfer?.types.includes('Files')) return;
    event.preventDefault();
    this.over.set(section);
  }

  protected dropFiles(event: DragEvent, section: string): void {
    this.over.set(null);
    const files = [...(event.dataTransfer?.files ?? [])];
    if (!this.store.canWrite() || files.length === 0) return;
    event.preventDefault();
    this.take(section, files);
  }

  protected take(section: string, files: readonly File[]): void {
    this.uploads.intoSection(section, files);
    this.said.set(files.length === 1 ? `${files[0]!.name} comes` : `${files.length} files come, each as a unit`);
  }

  protected list(files: FileList | null): File[] {
    return [...(files ?? [])];
  }

  protected percent({ sent, bytes }: { sent: number; bytes: number }): number {
    return bytes === 0 ? 0 : Math.floor((sent / bytes) * 100);
  }

  protected drop({ previousContainer, container, previousIndex, currentIndex }: CdkDragDrop<number>): void {
    if (previousContainer === container && previousIndex === currentIndex) return;
    this.store.arrange('drag', (outline, sections) => outline.moveTo(sections, { section: previousContainer.data, unit: previousIndex }, { section: container.data, unit: currentIndex })); // prettier-ignore
  }
}
