import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import {
  CERTIFICATE_FIELDS,
  elementName,
  PAPER_WORDS,
  PARTS,
  type Body,
  type Box,
  type CertificatePart,
  type DesignElement,
  type Face,
  type Paper,
} from '@nudrik/core';
import { TextEditor } from '../messages/text-editor.ts';
import { NumberField } from '../shared/pick/number-field.ts';
import { SelectField, type Choice } from '../shared/pick/select.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { CertificatesApi } from './certificates.api.ts';
import { SWITCHED, type DesignState } from './design-state.ts';
import { printable } from './picture-file.ts';

/** What can be set of a design: of what is chosen on it, or of the whole sheet. */
@Component({
  selector: 'nk-design-sheet',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, NumberField, SelectField, TextEditor],
  templateUrl: './design-sheet.html',
  styles: `
    .head { margin-bottom: 8px; }
    .grow { flex: 1; }
    .pairs { display: grid; grid-template-columns: 1fr 1fr; gap: 0 12px; }
    .pairs.three { grid-template-columns: 1fr 1fr 70px; }
    .pairs.four { grid-template-columns: repeat(4, 1fr); margin-top: 4px; }
    .colour { width: 62px; height: 32px; padding: 2px; border: 1px solid var(--rule-strong); border-radius: 2px; background: var(--sheet); }
    .switches { list-style: none; margin: 4px 0 0; padding: 0; columns: 2; }
    .switches li { padding: 2px 0; break-inside: avoid; }
    .layers { list-style: none; margin: 0; padding: 0; }
    .layers li { display: flex; gap: 8px; border-bottom: 1px solid var(--rule); padding: 4px 0; }
    .layers li.off button { color: var(--quiet); }
    .file { position: relative; cursor: pointer; }
    .hidden-file { position: absolute; opacity: 0; width: 1px; height: 1px; }
    .file:focus-within { outline: 2px solid var(--plum); outline-offset: 2px; }
    .said { margin-top: 8px; }
  `,
})
export class DesignSheetPanel {
  private readonly api = inject(CertificatesApi);
  readonly state = input.required<DesignState>();
  readonly isOff = input(false);
  /** what the fields say of whoever is looked at */
  readonly values = input<Readonly<Record<string, string | null>> | null>(null);
  readonly faults = input<readonly { element: string | null; words: string }[]>([]);
  protected readonly isTaking = signal(false);
  protected readonly problem = signal<string | null>(null);
  protected readonly fields = CERTIFICATE_FIELDS;
  protected readonly nameOf = elementName;
  protected readonly switched = SWITCHED.map((key) => ({ key, words: PARTS[key] }));
  protected readonly layers = computed(() => [...this.state().design().elements].reverse());
  protected readonly parts: Choice[] = [{ value: '', label: 'none' }, ...SWITCHED.map((key): Choice<CertificatePart> => ({ value: key, label: PARTS[key] }))]; // prettier-ignore
  protected readonly faces: Choice<Face>[] = [
    { value: 'serif', label: 'with serifs' },
    { value: 'plain', label: 'plain' },
    { value: 'strong', label: 'plain, strong' },
  ];
  protected readonly aligns: Choice[] = [
    { value: 'left', label: 'from the left' },
    { value: 'middle', label: 'in the middle' },
    { value: 'right', label: 'to the right' },
  ];
  protected readonly uprights: Choice[] = [
    { value: 'top', label: 'from the top' },
    { value: 'middle', label: 'in the middle' },
    { value: 'bottom', label: 'at the bottom' },
  ];
  protected readonly papers = Object.entries(PAPER_WORDS).map(([value, label]): Choice<Paper> => ({ value: value as Paper, label }));
  protected readonly turns: Choice<boolean>[] = [
    { value: true, label: 'lying' },
    { value: false, label: 'upright' },
  ];
  protected readonly sides: readonly { key: keyof Box; words: string }[] = [
    { key: 'x', words: 'From the left' },
    { key: 'y', words: 'From the top' },
    { key: 'w', words: 'Wide' },
    { key: 'h', words: 'High' },
  ];

  protected faultsOf(id: string): string[] {
    return [...new Set(this.faults().flatMap(({ element, words }) => (element === id ? [words] : [])))];
  }

  protected write(id: string, body: Body): void {
    // words and fields alone are kept as they are typed
    if (typeof body === 'string') this.state().change(id, { text: body }, 'text');
  }

  protected size(id: string, size: number | null): void {
    if (size !== null && size >= 5 && size <= 144) this.state().change(id, { size });
  }

  protected weight(id: string, weight: number | null): void {
    if (weight !== null && weight <= 40) this.state().change(id, { weight });
  }

  protected place({ id, box }: DesignElement, side: keyof Box, value: number | null): void {
    if (value === null || value > 600) return;
    this.state().place(id, { ...box, [side]: value });
  }

  /** Takes a picture for an element, or behind it all. */
  protected async take(event: Event, id: string | null): Promise<void> {
    const field = event.target as HTMLInputElement;
    const file = field.files?.[0];
    // the same file may be chosen again
    field.value = '';
    if (!file) return;
    this.problem.set(null);
    this.isTaking.set(true);
    this.api.addPicture(await printable(file)).subscribe({
      next: (picture) => {
        this.isTaking.set(false);
        if (id === null) this.state().set('background', { backgroundId: picture.id });
        else this.state().change(id, { fileId: picture.id });
      },
      error: (error: unknown) => {
        this.isTaking.set(false);
        this.problem.set(sentenceOf(error));
      },
    });
  }
}
