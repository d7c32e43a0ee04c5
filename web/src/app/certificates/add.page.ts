import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { catchError, of } from 'rxjs';
import { CoursesApi } from '../courses/courses.api.ts';
import { FilesApi } from '../files/files.api.ts';
import type { Named } from '../people/named.ts';
import { PersonPick } from '../people/person-pick.ts';
import { DateField } from '../shared/pick/date-field.ts';
import { SelectField, type Choice } from '../shared/pick/select.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { CertificatesApi } from './certificates.api.ts';

/** Adds a certificate by hand: one of ours, or one that others issued, with what shows it. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [DateField, FormsModule, PersonPick, RouterLink, SelectField],
  templateUrl: './add.page.html',
  styles: `
    .form { max-width: 560px; }
    .pairs { display: grid; grid-template-columns: 1fr 1fr; gap: 0 14px; }
    .file { position: relative; cursor: pointer; }
    .hidden-file { position: absolute; opacity: 0; width: 1px; height: 1px; }
    .file:focus-within { outline: 2px solid var(--plum); outline-offset: 2px; }
    .kinds { display: flex; gap: 20px; margin: 0 0 16px; border: 0; padding: 0; }
  `,
})
export class AddCertificatePage {
  private readonly api = inject(CertificatesApi);
  private readonly files = inject(FilesApi);
  private readonly router = inject(Router);
  protected readonly isTheirs = signal(false);
  protected readonly person = signal<Named | null>(null);
  protected readonly course = signal<string | null>(null);
  protected readonly finishedOn = signal('');
  protected readonly expiresOn = signal('');
  protected readonly issuer = signal('');
  protected readonly number = signal('');
  protected readonly reason = signal('');
  protected readonly proof = signal<{ id: string; name: string } | null>(null);
  protected readonly isTaking = signal(false);
  protected readonly isBusy = signal(false);
  protected readonly problem = signal<string | null>(null);
  private readonly known = toSignal(
    inject(CoursesApi)
      .list()
      .pipe(catchError(() => of([]))),
    { initialValue: [] },
  );
  protected readonly courses = computed((): Choice[] => this.known().filter(({ state }) => state !== 'draft').map(({ id, title }) => ({ value: id, label: title }))); // prettier-ignore
  protected readonly missing = computed(() => {
    if (!this.person()) return 'Choose whose it is.';
    if (!this.course()) return 'Choose for which course it is.';
    if (!this.finishedOn()) return 'Say on which day it was finished.';
    if (this.isTheirs() && !this.issuer().trim()) return 'Say who issued it.';
    return this.reason().trim() ? null : 'Say why: it stands on the record.';
  });

  protected take(event: Event): void {
    const field = event.target as HTMLInputElement;
    const file = field.files?.[0];
    field.value = '';
    if (!file) return;
    this.isTaking.set(true);
    this.problem.set(null);
    this.files.proof(file).subscribe({
      next: (kept) => {
        this.isTaking.set(false);
        this.proof.set(kept);
      },
      error: (error: unknown) => {
        this.isTaking.set(false);
        this.problem.set(sentenceOf(error));
      },
    });
  }

  protected add(): void {
    const theirs = { issuer: this.issuer().trim(), number: this.number().trim() || null, expiresOn: this.expiresOn() || null, proofId: this.proof()?.id ?? null }; // prettier-ignore
    this.isBusy.set(true);
    this.problem.set(null);
    this.api
      .add({ personId: this.person()!.id, courseId: this.course()!, finishedOn: this.finishedOn(), reason: this.reason().trim(), theirs: this.isTheirs() ? theirs : null })
      .subscribe({
        next: () => void this.router.navigate(['/certificates'], { queryParams: { person: this.person()!.id } }),
        error: (error: unknown) => {
          this.isBusy.set(false);
          this.problem.set(sentenceOf(error));
        },
      }); // prettier-ignore
  }
}
