import { DecimalPipe } from '@angular/common';
import { ChangeDetectionStrategy, Component, inject, signal } from '@angular/core';
import { RouterLink } from '@angular/router';
import type { ImportRow } from '@nudrik/contract';
import { of } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { PeopleApi } from './people.api.ts';
import { PeopleTabs } from './people-tabs.ts';

/** Every import with its file, who took it and when; one can be undone while nothing depends on it. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [DecimalPipe, RouterLink, MomentPipe, PeopleTabs],
  templateUrl: './imports.page.html',
})
export class ImportsPage {
  private readonly api = inject(PeopleApi);
  protected readonly session = inject(SessionStore);
  protected readonly imports = load(of(true), () => this.api.imports(), ['people']);
  protected readonly asking = signal<ImportRow | null>(null);
  protected readonly problem = signal<string | null>(null);
  protected readonly undone = signal<string | null>(null);
  protected readonly undoing = signal<string | null>(null);

  protected undo(row: ImportRow): void {
    this.problem.set(null);
    this.undone.set(null);
    this.asking.set(null);
    this.undoing.set(row.id);
    this.api.undoImport(row.id).subscribe({
      next: () => {
        this.undoing.set(null);
        this.undone.set(row.fileName);
        this.imports.reload();
      },
      error: (error: unknown) => {
        this.undoing.set(null);
        this.problem.set(sentenceOf(error));
      },
    });
  }
}
