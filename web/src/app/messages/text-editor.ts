import {
  ChangeDetectionStrategy,
  Component,
  computed,
  DestroyRef,
  effect,
  inject,
  input,
  linkedSignal,
  output,
  signal,
  untracked,
  viewChild,
  type ElementRef,
} from '@angular/core';
import { NgTemplateOutlet } from '@angular/common';
import { FormsModule } from '@angular/forms';
import { Editor, Node, type JSONContent } from '@tiptap/core';
import StarterKit from '@tiptap/starter-kit';
import {
  docOf,
  FIELD_GROUPS,
  isHref,
  keptForm,
  LINK_PLACES,
  linkPlaceOf,
  MERGE_FIELDS,
  PICTURE_WIDTHS,
  plainWords,
  TABLE_COLUMNS,
  tellCondition,
  type Body,
  type Condition,
  type ConditionFact,
  type LinkPlace,
  type MergeField,
  type Names,
  type TableColumn,
} from '@nudrik/core';
import { SelectField, type Choice } from '../shared/pick/select.ts';
import { conditionFrom, keptRows, openConditions, type GroupRow } from '../conditions/condition-model.ts';
import { ConditionRows, type ConditionChoices } from '../conditions/condition-rows.ts';
import { ButtonNode, docFrom, Field, PartNode, PeopleNode, PictureNode, sliceOf, WithParts } from './text-nodes.ts';
import { PlansApi } from '../plans/plans.api.ts';
import { sentenceOf } from '../shared/refusal.ts';

/** One paragraph that cannot be parted: a subject. */
const OneLine = Node.create({ name: 'doc', topNode: true, content: 'paragraph' });
const WEB = 'web';
/** what went before is not asked: a look ahead could not tell */
const ASKS: readonly ConditionFact[] = ['person', 'assignment', 'held'];

/** What the conditions of parts choose from, and what they are called. */
export interface PartChoices {
  facts: ConditionChoices;
  names: Names;
}

interface Tool {
  label: string;
  key?: string;
  on: () => boolean;
  act: () => void;
}

/** What is chosen in the text and has something to set: a field's fallback, a button's or a link's address, a table's columns. */
type Chosen =
  | { kind: 'field'; name: string; fallback: string }
  | { kind: 'link' | 'button'; href: string }
  | { kind: 'people'; columns: readonly TableColumn[] }
  | { kind: 'picture'; alt: string; width: number }
  | { kind: 'part'; onlyIf: Condition | null };

/** The text of a message, or its subject on one line. Merge fields are solid tokens: `{` opens their list, and they go as a whole. */
@Component({
  selector: 'nk-text-editor',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ConditionRows, FormsModule, NgTemplateOutlet, SelectField],
  templateUrl: './text-editor.html',
  styleUrl: './text-editor.css',
})
export class TextEditor {
  readonly body = input.required<Body>();
  readonly label = input.required<string>();
  readonly isLine = input(false);
  /** words and fields alone, which may stand on several lines: Enter begins the next */
  readonly hasLines = input(false);
  /** the fields that it may have */
  readonly known = input<readonly MergeField[]>(MERGE_FIELDS);
  /** what comes of a field without a value */
  readonly without = input('nothing: the message waits');
  /** a gathered message has a table, whose place can be chosen */
  readonly isGathered = input(false);
  /** what the fields print for whoever the text is previewed as */
  readonly values = input<Readonly<Record<string, string | null>> | null>(null);
  /** with them, parts may be for some readers only */
  readonly parts = input<PartChoices | null>(null);
  readonly changed = output<Body>();
  private readonly api = inject(PlansApi);
  protected readonly isTaking = signal(false);
  protected readonly widths = Object.entries(PICTURE_WIDTHS).map(([label, value]): Choice<number> => ({ value, label }));
  private readonly place = viewChild.required<ElementRef<HTMLElement>>('place');
  private readonly fieldList = viewChild<SelectField>('fieldList');
  private editor: Editor | null = null;
  private told: Body | null = null;
  protected readonly isInPart = signal(false);
  protected readonly active = signal<ReadonlySet<string>>(new Set());
  protected readonly chosen = signal<Chosen | null>(null);
  private readonly part = computed(() => {
    const chosen = this.chosen();
    return chosen?.kind === 'part' ? chosen.onlyIf : null;
  });
  protected readonly rows = linkedSignal<{ id: string; condition: Condition | null }, GroupRow>({
    source: () => ({ id: 'part', condition: this.part() }),
    computation: (now, before) => keptRows(now, before),
  });
  protected readonly asks = ASKS;
  protected readonly problem = signal<string | null>(null);
  protected readonly columns = Object.entries(TABLE_COLUMNS) as [TableColumn, string][];
  // the same list stays the same while it is open: another one begins at its top
  protected readonly fields = computed(() => this.listFields(), { equal: (a, b) => JSON.stringify(a) === JSON.stringify(b) });
  protected readonly places: Choice[] = [
    ...Object.entries(LINK_PLACES).map(([place, words]) => ({ value: place, label: words })),
    { value: WEB, label: 'an address on the web' },
  ];
  protected readonly tools: Tool[] = [
    { label: 'Bold', on: () => this.is('bold'), act: () => this.run((chain) => chain.toggleBold()) },
    { label: 'Italic', on: () => this.is('italic'), act: () => this.run((chain) => chain.toggleItalic()) },
    { label: 'Heading', on: () => this.is('heading'), act: () => this.run((chain) => (this.is('heading', { level: 2 }) ? chain.toggleHeading({ level: 3 }) : this.is('heading', { level: 3 }) ? chain.setParagraph() : chain.toggleHeading({ level: 2 }))) }, // prettier-ignore
    { label: 'List', on: () => this.is('bulletList'), act: () => this.run((chain) => chain.toggleBulletList()) },
    { label: 'Numbers', on: () => this.is('orderedList'), act: () => this.run((chain) => chain.toggleOrderedList()) },
    { label: 'Quote', on: () => this.is('blockquote'), act: () => this.run((chain) => chain.toggleBlockquote()) },
    { label: 'Link', on: () => this.is('link'), act: () => this.askLink() },
    { label: 'Button', on: () => this.is('button'), act: () => this.putButton() },
    { label: 'Line', on: () => false, act: () => this.run((chain) => chain.setHorizontalRule()) },
  ];

  constructor() {
    effect(() => {
      const element = this.place().nativeElement;
      if (!this.editor) this.editor = untracked(() => this.open(element));
    });
    // undone elsewhere, or another text
    effect(() => {
      const body = this.body();
      if (this.isSame(body, this.told)) return;
      this.told = body;
      this.editor?.commands.setContent(this.contentOf(body), { emitUpdate: false });
    });
    inject(DestroyRef).onDestroy(() => this.editor?.destroy());
  }

  /** A line is kept as words: the space that was typed last is none of another text. */
  private isSame(a: Body, b: Body | null): boolean {
    const lineOf = (body: Body): string => plainWords(body).replace(/\s+/g, ' ');
    return JSON.stringify(a) === JSON.stringify(b) || (this.isLine() && !this.hasLines() && b !== null && lineOf(a) === lineOf(b));
  }

  private contentOf(body: Body): JSONContent {
    const doc = docOf(body) as JSONContent;
    // runs of no letters are nothing that an editor can hold
    const clean = (node: JSONContent): JSONContent => ({ ...node, ...(node.content ? { content: node.content.filter((one) => one.type !== 'text' || one.text !== '').map(clean) } : {}) }); // prettier-ignore
    return clean(doc);
  }

  private open(element: HTMLElement): Editor {
    const isLine = this.isLine();
    const hasLines = this.hasLines();
    this.told = this.body();
    return new Editor({
      element,
      extensions: [
        StarterKit.configure({
          code: false, codeBlock: false, strike: false, underline: false, heading: isLine ? false : { levels: [2, 3] },
          document: false,
          ...(isLine ? { bold: false, italic: false, blockquote: false, bulletList: false, orderedList: false, listItem: false, listKeymap: false, horizontalRule: false, ...(hasLines ? {} : { hardBreak: false }), link: false, trailingNode: false } : {
            trailingNode: false,
            link: { openOnClick: false, autolink: false, protocols: ['http', 'https', 'mailto', 'to'], isAllowedUri: (href: string) => isHref(href), HTMLAttributes: { target: null, rel: null, class: null } },
          }),
        }),
        Field,
        ...(isLine ? [OneLine] : [WithParts, ButtonNode, PictureNode, PeopleNode, PartNode.configure({ tell: (condition) => this.tell(condition) })]),
      ], // prettier-ignore
      content: this.contentOf(this.told),
      editorProps: {
        attributes: {
          'aria-label': this.label(),
          role: 'textbox',
          'aria-multiline': String(!isLine || hasLines),
          ...(isLine ? { class: 'one-line' } : {}),
        },
        handleTextInput: (_view, _from, _to, text) => text === '{' && this.offerFields(),
        clipboardTextParser: (text, _context, _plain, view) =>
          sliceOf(isLine && !hasLines ? text.replace(/\s+/g, ' ') : text, view.state.schema),
        handleKeyDown: (_view, event) => {
          if (!isLine || event.key !== 'Enter') return false;
          if (hasLines) this.editor?.commands.setHardBreak();
          return true;
        },
      },
      onUpdate: ({ editor }) => {
        const doc = docFrom(editor.getJSON());
        const body = keptForm(doc);
        if (JSON.stringify(body) === JSON.stringify(this.told)) return;
        this.told = body;
        // braces that were typed or dropped in become the fields that they name
        if (/[{}]/.test(editor.state.doc.textBetween(0, editor.state.doc.content.size, ' ', ''))) queueMicrotask(() => this.settle(body));
        this.changed.emit(body);
      },
      onTransaction: () => this.look(),
    });
  }

  private settle(body: Body): void {
    this.editor?.chain().setContent(this.contentOf(body), { emitUpdate: false }).focus('end').run();
  }

  private is(name: string, attributes: object = {}): boolean {
    return this.editor?.isActive(name, attributes) ?? false;
  }

  private run(act: (chain: ReturnType<Editor['chain']>) => ReturnType<Editor['chain']>): void {
    if (this.editor) act(this.editor.chain().focus()).run();
  }

  private look(): void {
    this.active.set(new Set(this.tools.filter((tool) => tool.on()).map(({ label }) => label)));
    this.isInPart.set(this.is('part'));
    const attrs = (name: string) => this.editor!.getAttributes(name) as Record<string, unknown>;
    this.chosen.set(
      this.is('field')
        ? { kind: 'field', name: String(attrs('field')['name']), fallback: (attrs('field')['fallback'] as string | null) ?? '' }
        : this.is('people') || this.is('picture') || this.is('button') || this.is('link') || !this.is('part')
          ? this.chosenIn(attrs)
          : { kind: 'part', onlyIf: attrs('part')['onlyIf'] as Condition | null },
    );
  }

  private chosenIn(attrs: (name: string) => Record<string, unknown>): Chosen | null {
    if (this.is('picture')) return { kind: 'picture', alt: String(attrs('picture')['alt']), width: Number(attrs('picture')['width']) };
    return this.is('people')
      ? { kind: 'people', columns: attrs('people')['columns'] as TableColumn[] }
      : this.is('button')
        ? { kind: 'button', href: String(attrs('button')['href']) }
        : this.is('link')
          ? { kind: 'link', href: String(attrs('link')['href']) }
          : null;
  }

  private tell(condition: Condition | null): string {
    const names = this.parts()?.names;
    return condition && names ? `only if ${tellCondition(condition, names)}` : 'only if …';
  }

  /** What is chosen becomes a part for some readers, or is one no longer. */
  protected togglePart(): void {
    this.run((chain) => (this.is('part') ? chain.lift('part') : chain.wrapIn('part')));
  }

  protected setRows(rows: GroupRow): void {
    this.rows.set(rows);
    this.problem.set(openConditions(rows)[0] ?? null);
    this.editor?.commands.updateAttributes('part', { onlyIf: conditionFrom(rows) });
  }

  private listFields(): Choice[] {
    const values = this.values();
    return FIELD_GROUPS.flatMap((group) => this.known().filter((field) => field.group === group)).map(({ name, about, group }) => {
      const value = values?.[name];
      const told = value === undefined ? about : value === null || value.trim() === '' ? `${about} (none here)` : `“${value.slice(0, 60)}”`;
      return { value: name, label: `${name}: ${told}`, group };
    });
  }

  /** Opens the list of fields. */
  protected offerFields(): boolean {
    this.fieldList()?.show();
    return true;
  }

  protected put(name: string | null): void {
    if (name) this.run((chain) => chain.insertContent({ type: 'field', attrs: { name, fallback: null } }));
  }

  protected setFallback(fallback: string): void {
    this.editor?.commands.updateAttributes('field', { fallback: fallback === '' ? null : fallback });
  }

  protected toggleColumn(column: TableColumn, columns: readonly TableColumn[]): void {
    const next = columns.includes(column) ? columns.filter((one) => one !== column) : [...columns, column];
    this.editor?.commands.updateAttributes('people', { columns: next });
  }

  /** Takes a picture from a file, and puts it where the cursor is. */
  protected choosePicture(event: Event): void {
    const field = event.target as HTMLInputElement;
    const file = field.files?.[0];
    // the same file may be chosen again
    field.value = '';
    if (!file) return;
    this.problem.set(null);
    this.isTaking.set(true);
    this.api.addPicture(file).subscribe({
      next: ({ id, width }) => {
        this.isTaking.set(false);
        const fits = Math.max(16, Math.min(width, PICTURE_WIDTHS.wide));
        this.run((chain) => chain.insertContent({ type: 'picture', attrs: { file: id, alt: '', width: fits } }));
      },
      error: (error: unknown) => {
        this.isTaking.set(false);
        this.problem.set(sentenceOf(error));
      },
    });
  }

  protected setPicture(change: { alt?: string; width?: number }): void {
    this.editor?.commands.updateAttributes('picture', change);
  }

  protected putTable(): void {
    this.run((chain) => chain.insertContent({ type: 'people' }));
  }

  private putButton(): void {
    if (this.is('button')) this.run((chain) => chain.setNode('paragraph'));
    else if (this.editor?.state.selection.empty && this.editor.state.selection.$from.parent.content.size === 0)
      this.run((chain) => chain.setNode('button', { href: 'to:own' }).insertContent('Open the course'));
    else this.run((chain) => chain.setNode('button', { href: 'to:own' }));
  }

  private askLink(): void {
    if (this.is('link')) return this.run((chain) => chain.extendMarkRange('link').unsetLink());
    if (this.editor!.state.selection.empty)
      this.run((chain) =>
        chain.insertContent({ type: 'text', text: 'the course', marks: [{ type: 'link', attrs: { href: 'to:course' } }] }),
      );
    else this.run((chain) => chain.setLink({ href: 'to:course' }));
  }

  protected placeOf(href: string): string {
    return linkPlaceOf(href) ?? WEB;
  }

  protected setPlace(kind: 'link' | 'button', place: LinkPlace | typeof WEB): void {
    this.setHref(kind, place === WEB ? 'https://' : `to:${place}`);
  }

  protected setHref(kind: 'link' | 'button', href: string): void {
    this.problem.set(isHref(href) || href === 'https://' ? null : `“${href}” is no address: expected one that begins with https://, http:// or mailto:.`); // prettier-ignore
    if (kind === 'button') this.editor?.commands.updateAttributes('button', { href });
    else this.editor?.chain().extendMarkRange('link').updateAttributes('link', { href }).run();
  }
}
