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
import { Editor } from '@tiptap/core';
import StarterKit from '@tiptap/starter-kit';

/** Rich text of a page: paragraphs, headings, lists, emphasis, links. */
@Component({
  selector: 'nk-page-editor',
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './page-editor.html',
  styles: `
    :host { display: block; border: 1px solid var(--rule-strong); border-radius: 2px; background: var(--sheet); }
    .tools { display: flex; gap: 2px; border-bottom: 1px solid var(--rule); padding: 3px; }
    .tools button { border: 1px solid transparent; background: none; padding: 2px 8px; border-radius: 2px; cursor: pointer; font-size: 13px; }
    .tools button.on { border-color: var(--plum); color: var(--plum); }
    .place { padding: 4px 14px; font-size: 15px; line-height: 1.55; }
    .place ::ng-deep .ProseMirror { outline: none; min-height: var(--editor-room, 120px); }
    .place ::ng-deep p { margin: 8px 0; }
  `,
})
export class PageEditor {
  readonly html = input.required<string>();
  readonly label = input('Text');
  readonly isReadOnly = input(false);
  readonly changed = output<string>();
  private readonly place = viewChild.required<ElementRef<HTMLElement>>('place');
  private editor: Editor | null = null;
  protected readonly active = signal(new Set<string>());
  protected readonly tools = [
    { label: 'Bold', act: () => this.editor?.chain().focus().toggleBold().run() },
    { label: 'Italic', act: () => this.editor?.chain().focus().toggleItalic().run() },
    { label: 'Heading', act: () => this.editor?.chain().focus().toggleHeading({ level: 2 }).run() },
    { label: 'List', act: () => this.editor?.chain().focus().toggleBulletList().run() },
    { label: 'Numbers', act: () => this.editor?.chain().focus().toggleOrderedList().run() },
    { label: 'Quote', act: () => this.editor?.chain().focus().toggleBlockquote().run() },
    { label: 'Undo', act: () => this.editor?.chain().focus().undo().run() },
  ];

  constructor() {
    effect(() => {
      const element = this.place().nativeElement;
      if (this.editor) return;
      this.editor = new Editor({
        element,
        extensions: [StarterKit.configure({ heading: { levels: [2, 3] } })],
        content: untracked(this.html),
        editable: !untracked(this.isReadOnly),
        editorProps: { attributes: { 'aria-label': untracked(this.label), role: 'textbox', 'aria-multiline': 'true' } },
        onUpdate: ({ editor }) => this.changed.emit(editor.getHTML()),
        onTransaction: ({ editor }) =>
          this.active.set(
            new Set(
              [
                editor.isActive('bold') && 'Bold',
                editor.isActive('italic') && 'Italic',
                editor.isActive('heading') && 'Heading',
                editor.isActive('bulletList') && 'List',
                editor.isActive('orderedList') && 'Numbers',
                editor.isActive('blockquote') && 'Quote',
              ].filter((label) => label !== false),
            ),
          ),
      });
    });
    inject(DestroyRef).onDestroy(() => this.editor?.destroy());
  }
}
