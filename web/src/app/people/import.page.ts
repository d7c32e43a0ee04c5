import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { Router, RouterLink } from '@angular/router';
import type { RosterPreview } from '@nudrik/core';
import { sentenceOf } from '../shared/refusal.ts';
import { PeopleApi } from './people.api.ts';

const FIELDS: Record<string, string> = { personnelNumber: 'personnel number', managerEmail: 'manager', joinedOn: 'joined', leftOn: 'left' };

/** A roster file: chosen or dropped, compared, looked at, and only then taken. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink],
  templateUrl: './import.page.html',
  styles: `
    .drop { border: 1px dashed var(--rule-strong); background: var(--sheet); padding: 34px 24px; text-align: center; max-width: 720px; }
    .drop.over { border-color: var(--plum); background: var(--plum-wash); }
    .drop input { margin-left: 8px; }
    section { max-width: 1000px; }
    .counts { display: flex; gap: 26px; margin: 4px 0 18px; }
    .counts strong { font-size: 17px; }
  `,
})
export class ImportPage {
  private readonly api = inject(PeopleApi);
  private readonly router = inject(Router);
  protected readonly file = signal<File | null>(null);
  protected readonly preview = signal<(RosterPreview & { mark: string }) | null>(null);
  protected readonly problem = signal<string | null>(null);
  protected readonly isBusy = signal(false);
  protected readonly isOver = signal(false);
  protected readonly taken = signal<{ added: number; changed: number; rejected: number } | null>(null);
  protected readonly changeCount = computed(() => (this.preview()?.added.length ?? 0) + (this.preview()?.changed.length ?? 0));

  protected drop(event: DragEvent): void {
    event.preventDefault();
    this.isOver.set(false);
    const file = event.dataTransfer?.files[0];
    if (file) this.choose(file);
  }

  protected over(event: DragEvent): void {
    event.preventDefault();
    this.isOver.set(true);
  }

  protected choose(file: File | undefined): void {
    if (!file) return;
    this.file.set(file);
    this.preview.set(null);
    this.taken.set(null);
    this.problem.set(null);
    this.isBusy.set(true);
    this.api.previewImport(file).subscribe({
      next: (preview) => {
        this.isBusy.set(false);
        this.preview.set(preview);
      },
      error: (error: unknown) => this.fail(error),
    });
  }

  protected take(): void {
    this.isBusy.set(true);
    this.problem.set(null);
    this.api.takeImport(this.file()!, this.preview()!.mark).subscribe({
      next: (taken) => {
        this.isBusy.set(false);
        this.preview.set(null);
        this.taken.set(taken);
      },
      error: (error: unknown) => this.fail(error),
    });
  }

  private fail(error: unknown): void {
    this.isBusy.set(false);
    this.problem.set(sentenceOf(error));
  }

  protected startOver(): void {
    this.file.set(null);
    this.preview.set(null);
    this.problem.set(null);
  }

  protected toPeople(): void {
    void this.router.navigate(['/people']);
  }

  protected fieldWords(field: string): string {
    return FIELDS[field] ?? field;
  }
}
