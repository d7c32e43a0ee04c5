import {
  ChangeDetectionStrategy,
  Component,
  DestroyRef,
  effect,
  inject,
  input,
  output,
  signal,
  untracked,
  viewChild,
  type ElementRef,
} from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { Editor, mergeAttributes, Node } from '@tiptap/core';
import { Image } from '@tiptap/extension-image';
import { TableKit } from '@tiptap/extension-table';
import { fixTablesKey } from '@tiptap/pm/tables';
import StarterKit from '@tiptap/starter-kit';
import { FILE_KINDS, isWebAddress } from '@nudrik/core';
import { FilesApi, uploadFault } from '../files/files.api.ts';
import { sentenceOf } from '../shared/refusal.ts';

/** What a call-out is about, and what it is called. */
export const TONES = { note: 'Note', care: 'Take care', danger: 'Danger' } as const;
export type Tone = keyof typeof TONES;

/** A call-out: paragraphs and lists that stand out, with what they are about. */
const CallOut = Node.create({
  name: 'callOut',
  group: 'block',
  content: '(paragraph | bulletList | orderedList)+',
  defining: true,
  addAttributes: () => ({
    tone: {
      default: 'note',
      parseHTML: (element: HTMLElement) => Object.keys(TONES).find((tone) => element.classList.contains(tone)) ?? 'note',
      renderHTML: ({ tone }: { tone?: string }) => ({ class: tone }),
    },
  }),
  parseHTML: () => [{ tag: 'aside' }],
  renderHTML: ({ HTMLAttributes }) => ['aside', mergeAttributes(HTMLAttributes), 0],
});

interface Tool {
  label: string;
  /** what is active while it is on */
  on?: () => boolean;
  act: () => void;
}

/** Rich text of a page: headings, lists, tables, pictures, links, call-outs. What is pasted keeps that and loses the rest. */
@Component({
  selector: 'nk-page-editor',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule],
  templateUrl: './page-editor.html',
  styleUrl: './page-editor.css',
})
export class PageEditor {
  private readonly files = inject(FilesApi);
  readonly html = input.required<string>();
  readonly label = input('Text');
  readonly isReadOnly = input(false);
  /** tables and call-outs, which a question does without */
  readonly isShort = input(false);
  readonly changed = output<string>();
  private readonly place = viewChild.required<ElementRef<HTMLElement>>('place');
  private editor: Editor | null = null;
  /** what was written here, as it was told last: what comes back of it is not another text */
  private told = '';
  /** what it was given, and how the editor writes that */
  private given = '';
  private asRead = '';
  protected readonly active = signal<ReadonlySet<string>>(new Set());
  protected readonly inTable = signal(false);
  protected readonly link = signal<string | null>(null);
  protected readonly picture = signal<string | null>(null);
  protected readonly problem = signal<string | null>(null);
  protected readonly coming = signal(0);
  protected readonly words: Tool[] = [
    { label: 'Bold', on: () => this.is('bold'), act: () => this.run((chain) => chain.toggleBold()) },
    { label: 'Italic', on: () => this.is('italic'), act: () => this.run((chain) => chain.toggleItalic()) },
    { label: 'Heading', on: () => this.is('heading'), act: () => this.run((chain) => (this.is('heading', { level: 2 }) ? chain.toggleHeading({ level: 3 }) : this.is('heading', { level: 3 }) ? chain.setParagraph() : chain.toggleHeading({ level: 2 }))) }, // prettier-ignore
    { label: 'List', on: () => this.is('bulletList'), act: () => this.run((chain) => chain.toggleBulletList()) },
    { label: 'Numbers', on: () => this.is('orderedList'), act: () => this.run((chain) => chain.toggleOrderedList()) },
    { label: 'Quote', on: () => this.is('blockquote'), act: () => this.run((chain) => chain.toggleBlockquote()) },
  ];
  protected readonly tones = Object.entries(TONES).map(([tone, label]): Tool => ({ label, on: () => this.is('callOut', { tone }), act: () => this.callOut(tone as Tone) })); // prettier-ignore
  protected readonly table: Tool[] = [
    { label: 'Row below', act: () => this.run((chain) => chain.addRowAfter()) },
    { label: 'Column after', act: () => this.run((chain) => chain.addColumnAfter()) },
    { label: 'Take out the row', act: () => this.run((chain) => chain.deleteRow()) },
    { label: 'Take out the column', act: () => this.run((chain) => chain.deleteColumn()) },
    { label: 'Head row', act: () => this.run((chain) => chain.toggleHeaderRow()) },
    { label: 'Take out the table', act: () => this.run((chain) => chain.deleteTable()) },
  ];
  protected readonly accept = Object.values(FILE_KINDS).filter(({ as }) => as === 'picture').flatMap(({ endings }) => endings.map((ending) => `.${ending}`)).join(); // prettier-ignore
  private readonly destroyed = takeUntilDestroyed<unknown>();

  constructor() {
    effect(() => {
      const element = this.place().nativeElement;
      if (this.editor) return;
      this.editor = untracked(() => this.open(element));
    });
    // undone elsewhere, or kept by somebody else
    effect(() => {
      const html = this.html();
      if (html === this.told) return;
      this.told = html;
      this.given = html;
      if (!this.editor) return;
      if (html !== this.editor.getHTML()) this.editor.commands.setContent(html, { emitUpdate: false });
      this.asRead = this.editor.getHTML();
    });
    effect(() => this.editor?.setEditable(!this.isReadOnly()));
    inject(DestroyRef).onDestroy(() => this.editor?.destroy());
  }

  private open(element: HTMLElement): Editor {
    return new Editor({
      element,
      extensions: [
        StarterKit.configure({ heading: { levels: [2, 3] }, link: { openOnClick: false, autolink: true, defaultProtocol: 'https', protocols: ['http', 'https', 'mailto'] } }), // prettier-ignore
        Image,
        ...(this.isShort() ? [] : [TableKit.configure({ table: { resizable: false } }), CallOut]),
      ],
      content: this.html(),
      editable: !this.isReadOnly(),
      editorProps: {
        attributes: { 'aria-label': this.label(), role: 'textbox', 'aria-multiline': 'true' },
        // pictures that stand elsewhere stay there: what is shown to employees is kept here
        transformPastedHTML: (html) => html.replace(/<img\b[^>]*>/gi, (tag) => (/\bsrc="\/api\/files\/\d+"/.test(tag) ? tag : '')),
        handlePaste: (_view, event) => this.take([...(event.clipboardData?.files ?? [])], event.clipboardData?.getData('text/html') ?? ''),
        handleDrop: (view, event) => {
          const at = view.posAtCoords({ left: event.clientX, top: event.clientY });
          if (at && event.dataTransfer?.files.length) this.editor!.commands.setTextSelection(at.pos);
          return this.take([...(event.dataTransfer?.files ?? [])]);
        },
      },
      onCreate: ({ editor }) => (this.asRead = editor.getHTML()),
      onUpdate: ({ editor, transaction, appendedTransactions }) => {
        const html = editor.getHTML();
        // the editor sets its tables right by itself, which is nobody's change
        if ([transaction, ...appendedTransactions].every((one) => !one.docChanged || one.getMeta(fixTablesKey))) this.asRead = html;
        const told = html === this.asRead ? this.given : editor.isEmpty ? '' : html;
        if (told === this.told) return;
        this.told = told;
        this.changed.emit(told);
      },
      onTransaction: () => this.look(),
    });
  }

  private is(name: string, attributes: object = {}): boolean {
    return this.editor?.isActive(name, attributes) ?? false;
  }

  private look(): void {
    const on = [...this.words, ...this.tones].filter((tool) => tool.on?.());
    this.active.set(new Set(on.map(({ label }) => label)));
    this.inTable.set(this.is('table'));
    this.picture.set(this.is('image') ? ((this.editor!.getAttributes('image')['alt'] as string | null) ?? '') : null);
  }

  private run(act: (chain: ReturnType<Editor['chain']>) => ReturnType<Editor['chain']>): void {
    if (this.editor) act(this.editor.chain().focus()).run();
  }

  private callOut(tone: Tone): void {
    if (this.is('callOut', { tone })) this.run((chain) => chain.lift('callOut'));
    else if (this.is('callOut')) this.run((chain) => chain.updateAttributes('callOut', { tone }));
    else this.run((chain) => chain.wrapIn('callOut', { tone }));
  }

  protected addTable(): void {
    this.run((chain) => chain.insertTable({ rows: 3, cols: 2, withHeaderRow: true }));
  }

  protected askLink(): void {
    this.link.set((this.editor?.getAttributes('link')['href'] as string | undefined) ?? 'https://');
  }

  protected setLink(): void {
    const href = (this.link() ?? '').trim();
    if (href === '' || href === 'https://') this.run((chain) => chain.extendMarkRange('link').unsetLink());
    else if (!isWebAddress(href) && !/^mailto:[^\s@]+@[^\s@]+$/.test(href)) {
      this.problem.set(`“${href}” is no address: expected one that begins with https://, http:// or mailto:.`);
      return;
    } else if (this.editor!.state.selection.empty && !this.is('link'))
      this.run((chain) => chain.insertContent({ type: 'text', text: href, marks: [{ type: 'link', attrs: { href } }] }));
    else this.run((chain) => chain.extendMarkRange('link').setLink({ href }));
    this.problem.set(null);
    this.link.set(null);
  }

  protected leaveLink(): void {
    this.link.set(null);
    this.problem.set(null);
    this.run((chain) => chain);
  }

  protected describe(alt: string): void {
    this.editor?.commands.updateAttributes('image', { alt });
  }

  /** Pictures that are pasted, dropped or chosen. @returns whether there were any */
  protected take(files: readonly File[], html = ''): boolean {
    const pictures = files.filter(({ type }) => type.startsWith('image/'));
    // a table program gives a picture of the cells beside them: the cells are what is meant
    if (pictures.length === 0 || /<table/i.test(html)) return false;
    this.problem.set(null);
    for (const file of pictures) {
      this.coming.update((count) => count + 1);
      this.files
        .small(file)
        .pipe(this.destroyed)
        .subscribe({
          next: (stored) => {
            this.coming.update((count) => count - 1);
            const { id } = stored as { id: string };
            this.run((chain) => chain.setImage({ src: `/api/files/${id}`, alt: '' }));
          },
          error: (error: unknown) => {
            this.coming.update((count) => count - 1);
            this.problem.set(uploadFault(error, file.name) ?? sentenceOf(error));
          },
        });
    }
    return true;
  }

  protected list(files: FileList | null): File[] {
    return [...(files ?? [])];
  }
}
