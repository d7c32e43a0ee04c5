import { mergeAttributes, Node, type JSONContent } from '@tiptap/core';
import { Fragment, Slice, type Schema } from '@tiptap/pm/model';
import { docOf, TABLE_COLUMNS, type Block, type Condition, type Doc, type Inline, type Mark, type TableColumn } from '@nudrik/core';

/** A merge field: one solid piece that is put in, taken out and carried as a whole. */
export const Field = Node.create({
  name: 'field',
  group: 'inline',
  inline: true,
  atom: true,
  draggable: true,
  addAttributes: () => ({
    name: { default: '', parseHTML: (element: HTMLElement) => element.dataset['field'] ?? '', renderHTML: () => ({}) },
    fallback: { default: null, parseHTML: (element: HTMLElement) => element.dataset['fallback'] ?? null, renderHTML: () => ({}) },
  }),
  parseHTML: () => [{ tag: 'span[data-field]' }],
  renderHTML: ({ node }) => {
    const { name, fallback } = node.attrs as { name: string; fallback: string | null };
    const attrs = { class: 'token', 'data-field': name, ...(fallback === null ? {} : { 'data-fallback': fallback }) };
    return ['span', attrs, fallback === null ? name : `${name}, or “${fallback}”`];
  },
  renderText: ({ node }) => {
    const { name, fallback } = node.attrs as { name: string; fallback: string | null };
    return fallback === null ? `{${name}}` : `{${name}|${fallback}}`;
  },
});

/** A button with its words in it. */
export const ButtonNode = Node.create({
  name: 'button',
  group: 'block',
  content: '(text | field)*',
  marks: '',
  defining: true,
  addAttributes: () => ({
    href: { default: 'to:own', parseHTML: (element: HTMLElement) => element.dataset['href'] ?? 'to:own', renderHTML: () => ({}) },
  }),
  parseHTML: () => [{ tag: 'p[data-href]', priority: 60 }],
  renderHTML: ({ node, HTMLAttributes }) => ['p', mergeAttributes(HTMLAttributes, { class: 'as-button', 'data-href': node.attrs['href'] as string }), 0], // prettier-ignore
});

/** A picture that the house keeps. */
export const PictureNode = Node.create({
  name: 'picture',
  group: 'block',
  atom: true,
  draggable: true,
  addAttributes: () => ({
    file: { default: '', parseHTML: (element: HTMLElement) => element.dataset['file'] ?? '', renderHTML: () => ({}) },
    alt: { default: '', parseHTML: (element: HTMLElement) => element.getAttribute('alt') ?? '', renderHTML: () => ({}) },
    width: { default: 320, parseHTML: (element: HTMLElement) => Number(element.getAttribute('width')) || 320, renderHTML: () => ({}) },
  }),
  // of what is pasted only our own: pictures from elsewhere are none that the house keeps
  parseHTML: () => [{ tag: 'img[data-file]' }],
  renderHTML: ({ node }) => {
    const { file, alt, width } = node.attrs as { file: string; alt: string; width: number };
    return ['img', { class: 'picture', src: `/api/brand/${encodeURIComponent(file)}`, 'data-file': file, alt, width }];
  },
});

/** Where the table of a gathered message stands. */
export const PeopleNode = Node.create({
  name: 'people',
  group: 'block',
  atom: true,
  addAttributes: () => ({
    columns: {
      default: ['person', 'course', 'due', 'late', 'told'],
      parseHTML: (element: HTMLElement) => (element.dataset['columns'] ?? '').split(' ').filter((column) => column in TABLE_COLUMNS),
      renderHTML: () => ({}),
    },
  }),
  parseHTML: () => [{ tag: 'div[data-columns]' }],
  renderHTML: ({ node }) => {
    const columns = node.attrs['columns'] as TableColumn[];
    return ['div', { class: 'people', 'data-columns': columns.join(' ') }, `Table of the people: ${columns.map((column) => TABLE_COLUMNS[column]).join(', ')}`]; // prettier-ignore
  },
});

/** In a text parts for some stand between the others, and in nothing. */
export const WithParts = Node.create({ name: 'doc', topNode: true, content: '(block | part)+' });

/** A part that only some read: its blocks, below who they are. */
export const PartNode = Node.create<{ tell: (condition: Condition | null) => string }>({
  name: 'part',
  content: 'block+',
  defining: true,
  addOptions: () => ({ tell: () => '' }),
  addAttributes: () => ({
    onlyIf: { default: null, parseHTML: (element: HTMLElement) => conditionIn(element.dataset['onlyIf']), renderHTML: () => ({}) },
  }),
  parseHTML: () => [{ tag: 'div[data-only-if]' }],
  renderHTML({ node }) {
    const onlyIf = node.attrs['onlyIf'] as Condition | null;
    return ['div', { class: 'part', 'data-only-if': JSON.stringify(onlyIf), 'data-words': this.options.tell(onlyIf) }, 0];
  },
});

/** What was carried in a clipboard: anything else is a part that nobody was named for yet. */
function conditionIn(text: string | undefined): Condition | null {
  try {
    const value: unknown = JSON.parse(text ?? 'null');
    return typeof value === 'object' ? (value as Condition | null) : null;
  } catch {
    return null;
  }
}

const marksOf = ({ marks = [] }: JSONContent): { marks?: Mark[] } => {
  const known = marks.flatMap(({ type, attrs }): Mark[] =>
    type === 'bold' || type === 'italic' ? [{ type }] : type === 'link' ? [{ type, attrs: { href: String(attrs?.['href'] ?? '') } }] : [],
  );
  return known.length ? { marks: known } : {};
};

function inlineFrom(node: JSONContent): Inline[] {
  if (node.type === 'hardBreak') return [{ type: 'hardBreak' }];
  if (node.type === 'field')
    return [{ type: 'field', attrs: { name: String(node.attrs?.['name']), fallback: (node.attrs?.['fallback'] as string | null) ?? null }, ...marksOf(node) }]; // prettier-ignore
  // braces that were pasted are fields like others
  const parts = docOf((node.text ?? '').replace(/\n/g, ' ')).content[0];
  const inline = parts && 'content' in parts ? ((parts.content ?? []) as Inline[]) : [];
  if (!/[{}]/.test(node.text ?? '')) return [{ type: 'text', text: node.text ?? '', ...marksOf(node) }];
  return inline.map((one) => (one.type === 'hardBreak' ? one : { ...one, ...marksOf(node) }));
}

function blockFrom(node: JSONContent): Block[] {
  const children = node.content ?? [];
  const inlines = (): { content?: Inline[] } => (children.length ? { content: children.flatMap(inlineFrom) } : {});
  switch (node.type) {
    case 'paragraph':
      return [{ type: 'paragraph', ...inlines() }];
    case 'heading':
      return [{ type: 'heading', attrs: { level: node.attrs?.['level'] === 3 ? 3 : 2 }, ...inlines() }];
    case 'bulletList':
    case 'orderedList':
      return [{ type: node.type, content: children.map((item) => ({ type: 'listItem', content: (item.content ?? []).flatMap(blockFrom) })) }]; // prettier-ignore
    case 'blockquote':
      return [{ type: 'blockquote', content: children.flatMap(blockFrom) }];
    case 'horizontalRule':
      return [{ type: 'horizontalRule' }];
    case 'button':
      return [{ type: 'button', attrs: { href: String(node.attrs?.['href']) }, ...inlines() }];
    case 'part':
      return [{ type: 'part', attrs: { onlyIf: (node.attrs?.['onlyIf'] as Condition | null | undefined) ?? null }, content: children.flatMap(blockFrom) }]; // prettier-ignore
    case 'picture': {
      const { file, alt, width } = (node.attrs ?? {}) as { file?: string; alt?: string; width?: number };
      return [{ type: 'picture', attrs: { file: String(file), alt: String(alt ?? ''), width: Number(width ?? 320) } }];
    }
    case 'people':
      return [{ type: 'people', attrs: { columns: [...((node.attrs?.['columns'] as TableColumn[] | undefined) ?? [])] } }];
    default:
      return children.flatMap(blockFrom);
  }
}

/** What the editor holds, as a text of a message; what a message does not know is left behind. */
export const docFrom = (json: JSONContent): Doc => ({ type: 'doc', content: (json.content ?? []).flatMap(blockFrom) });

/** Pasted plain text: empty lines part paragraphs, braces are fields. */
export function sliceOf(text: string, schema: Schema): Slice {
  const content = docOf(text.replace(/\r\n?/g, '\n')).content.map((block) => schema.nodeFromJSON(block));
  return Slice.maxOpen(Fragment.from(content));
}
