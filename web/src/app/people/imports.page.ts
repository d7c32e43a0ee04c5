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
  template: `
    <div class="work">
      <nk-people-tabs />
      <div class="page-head">
        <div>
          <h1>Imports</h1>
          <p class="quiet">What changed the roster in one go. An import can be undone as long as nothing depends on it.</p>
        </div>
        <span class="grow"></span>
        @if (session.canChange()) {
          <a class="button filled" routerLink="/people/import">Import a roster file</a>
        }
      </div>
      @if (problem() ?? imports.error(); as words) {
        <p class="refusal" role="alert">{{ words }}</p>
      }
      @if (undone()) {
        <p class="success" role="status">Undone: {{ undone() }}. The roster is as it was before.</p>
      }
      @if (imports.data(); as list) {
        <table class="list">
          <thead>
            <tr>
              <th>Taken</th><th>What</th><th>By</th>
              <th class="num">Added</th><th class="num">Changed</th><th class="num">Returned</th><th class="num">Left</th><th class="num">Problems</th><th></th>
            </tr>
          </thead>
          <tbody>
            @for (row of list; track row.id) {
              <tr [class.quiet]="row.undoneAt">
                <td class="nowrap">{{ row.takenAt | moment }}</td>
                <td>
                  @if (row.hasFile) {
                    <a [href]="'/api/people/imports/' + row.id + '/file'" download>{{ row.fileName }}</a>
                  } @else {
                    {{ row.fileName }}
                  }
                </td>
                <td>{{ row.takenBy }}</td>
                <td class="num">{{ (row.added || null) | number }}</td>
                <td class="num">{{ (row.changed || null) | number }}</td>
                <td class="num">{{ (row.returned || null) | number }}</td>
                <td class="num">{{ (row.left || null) | number }}</td>
                <td class="num" [class.late]="row.rejected">{{ (row.rejected || null) | number }}</td>
                <td class="num nowrap">
                  @if (row.undoneAt) {
                    undone {{ row.undoneAt | moment }} by {{ row.undoneBy }}
                  } @else if (undoing() === row.id) {
                    <span class="quiet">setting the roster back …</span>
                  } @else if (session.canChange()) {
                    @if (asking()?.id === row.id) {
                      <button class="link" (click)="undo(row)">Yes, set the roster back</button>&nbsp;&nbsp;<button class="link quiet" (click)="asking.set(null)">No</button>
                    } @else {
                      <button class="link" (click)="asking.set(row)" [attr.aria-label]="'Undo ' + row.fileName">Undo</button>
                    }
                  }
                </td>
              </tr>
            } @empty {
              <tr><td class="quiet" colspan="9">Nothing was imported yet. <a routerLink="/people/import">Import a roster file</a>, or let the <a routerLink="/people/feed">personnel feed</a> bring it.</td></tr>
            }
          </tbody>
        </table>
      } @else if (!imports.error()) {
        <p class="loading">Looking up the imports …</p>
      }
    </div>
  `,
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
