import { Editor } from '@tiptap/core';
import StarterKit from '@tiptap/starter-kit';
import { describe, expect, it, test, vi } from 'vitest';
import type { LetterView, PlanStepView } from '@nudrik/contract';
import { docOf, keptForm, NAMES_THEMSELVES, STANDARD_PLAN, type Block, type Body, type Doc, type Inline } from '@nudrik/core';
import { By } from '@angular/platform-browser';
import { ConditionPeople } from '../conditions/condition-rows.ts';
import { openPage } from '../../testing/page.ts';
import { MessageWriter } from './message-writer.ts';
import { TemplateEdit } from './template-edit.ts';
import { TextEditor } from './text-editor.ts';
import { ButtonNode, docFrom, Field, PartNode, PeopleNode, PictureNode, WithParts } from './text-nodes.ts';

const text = (words: string): Inline => ({ type: 'text', text: words });
const field = (name: string, fallback: string | null = null): Inline => ({ type: 'field', attrs: { name, fallback } });
const p = (...content: Inline[]): Block => ({ type: 'paragraph', content });
const doc = (...content: Block[]): Doc => ({ type: 'doc', content });
const editor = (content: Doc): Editor => new Editor({ extensions: [StarterKit.configure({ document: false, trailingNode: false, link: { protocols: ['to'], isAllowedUri: () => true, HTMLAttributes: { target: null, rel: null, class: null } } }), WithParts, Field, ButtonNode, PeopleNode, PictureNode, PartNode], content }); // prettier-ignore

describe('what an editor holds', () => {
  test.each<[string, Block]>([
    ['fields, one with a fallback', p(text('Hello '), field('given name'), text(', '), field('job', 'a colleague'))],
    ['marks, on fields too', p({ type: 'text', text: 'bold', marks: [{ type: 'bold' }] }, { type: 'field', attrs: { name: 'due', fallback: null }, marks: [{ type: 'italic' }] })],
    ['a link to a place', p({ type: 'text', text: 'here', marks: [{ type: 'link', attrs: { href: 'to:course' } }] })],
    ['a heading', { type: 'heading', attrs: { level: 3 }, content: [text('To bring')] }],
    ['lists in lists', { type: 'bulletList', content: [{ type: 'listItem', content: [p(text('a')), { type: 'orderedList', content: [{ type: 'listItem', content: [p(text('b'))] }] }] }] }],
    ['a quote', { type: 'blockquote', content: [p(text('so'))] }],
    ['a divider', { type: 'horizontalRule' }],
    ['a button', { type: 'button', attrs: { href: 'https://x.example' }, content: [text('Open '), field('course')] }],
    ['a part for some', { type: 'part', attrs: { onlyIf: { department: ['1'] } }, content: [p(text('a')), { type: 'horizontalRule' }] }],
    ['a part that nobody is named for yet', { type: 'part', attrs: { onlyIf: null }, content: [p(text('a'))] }],
    ['a picture', { type: 'picture', attrs: { file: '7', alt: 'The hooks', width: 320 } }],
    ['where the table stands', { type: 'people', attrs: { columns: ['person', 'told'] } }],
  ])('%s: is the same text again', (_, block) => {
    const written = doc(p(text('first')), block);
    expect(docFrom(editor(written).getJSON())).toEqual(written);
    // as it is copied and pasted too
    expect(docFrom(editor(editor(written).getHTML() as unknown as Doc).getJSON())).toEqual(written);
  }); // prettier-ignore

  it('takes braces that were pasted for the fields that they name', () => {
    const pasted = docFrom({ type: 'doc', content: [{ type: 'paragraph', content: [{ type: 'text', text: 'Dear {job|you}, {due}' }] }] });
    expect(pasted).toEqual(doc(p(text('Dear '), field('job', 'you'), text(', '), field('due'))));
  });
});

describe('the editor of a text', () => {
  const open = async (inputs: object) => {
    const said: Body[] = [];
    const page = await openPage(TextEditor, { inputs: { label: 'Text', ...inputs } });
    (page.fixture.componentInstance as TextEditor).changed.subscribe((body: Body) => said.push(body));
    const inside = (page.fixture.componentInstance as unknown as { editor: Editor }).editor;
    return { page, said, inside };
  };

  it('shows fields as solid pieces, and puts one in where it was chosen', async () => {
    const { page, said, inside } = await open({ body: 'Hello {given name},\n\nbye' });
    expect([...document.querySelectorAll('.token')].map(({ textContent }) => textContent)).toEqual(['given name']);
    inside.commands.setTextSelection(inside.state.doc.content.size - 1);
    (page.fixture.componentInstance as unknown as { put(name: string): void }).put('due');
    expect(said.at(-1)).toBe('Hello {given name},\n\nbye{due}');
    inside.commands.setNodeSelection(1 + 'Hello '.length);
    (page.fixture.componentInstance as unknown as { setFallback(words: string): void }).setFallback('all');
    expect(said.at(-1)).toBe('Hello {given name|all},\n\nbye{due}');
  });

  it('opens the list of fields at a brace, and makes fields of those that come in with others', async () => {
    const { page, said, inside } = await open({ body: 'x' });
    const show = vi.spyOn(page.fixture.componentInstance as unknown as { offerFields(): boolean }, 'offerFields');
    const type = (letters: string): void => {
      const { from, to } = inside.state.selection;
      const isTaken = inside.view.someProp('handleTextInput', (take) => take(inside.view, from, to, letters, () => inside.state.tr));
      if (!isTaken) inside.view.dispatch(inside.state.tr.insertText(letters, from, to));
    };
    type('{');
    expect(show).toHaveBeenCalledTimes(1);
    expect(said).toEqual([]);
    type('due {due}');
    expect(said).toEqual(['due {due}x']);
    await page.settle?.();
    await vi.waitFor(() => expect(document.querySelectorAll('.token')).toHaveLength(1));
  });

  it('of a subject stays on one line', async () => {
    const { said, inside } = await open({ body: 'About {course}', isLine: true });
    inside.view.someProp('handleKeyDown', (take) => take(inside.view, new KeyboardEvent('keydown', { key: 'Enter' })));
    expect(inside.state.doc.childCount).toBe(1);
    inside.commands.insertContent('!');
    expect(said).toEqual(['!About {course}']);
  });

  it('of a subject keeps the space that was typed last, though it is kept as words', async () => {
    const page = await openPage(TemplateEdit, { inputs: { message: { subject: 'About', body: 'x', button: null } } });
    const line = page.fixture.debugElement.query(By.directive(TextEditor)).componentInstance as unknown as { editor: Editor };
    for (const letters of [' ', 'it', ' ', 'all']) {
      line.editor.view.dispatch(line.editor.state.tr.insertText(letters, line.editor.state.doc.content.size - 1));
      await page.settle();
    }
    expect((page.fixture.componentInstance as TemplateEdit).message().subject).toBe('About it all');
  });

  it('takes a picture from a file, no wider than the text; what is refused is said, and nothing is lost', async () => {
    const { page, said, inside } = await open({ body: 'x' });
    const field = page.getByLabelText<HTMLInputElement>('A picture from a file');
    const choose = async (): Promise<void> => {
      Object.defineProperty(field, 'files', { configurable: true, value: [new File([new Uint8Array(9)], 'hooks.png')] });
      field.dispatchEvent(new Event('change'));
      await page.settle();
    };
    await choose();
    await page.answer('/api/messages/pictures?name=hooks.png', { id: '9', name: 'hooks.png', width: 1_200, height: 800 });
    const picture = (attrs: object) => ({ type: 'picture', attrs: { file: '9', alt: '', width: 496, ...attrs } });
    const pictureIn = (body: Body | undefined) => (body as Doc).content.find(({ type }) => type === 'picture');
    expect(pictureIn(said.at(-1))).toEqual(picture({}));
    let at = 0;
    inside.state.doc.descendants((node, pos) => void (node.type.name === 'picture' && (at = pos)));
    inside.commands.setNodeSelection(at);
    await page.settle();
    const alt = page.getByLabelText<HTMLInputElement>(/^What it shows/);
    alt.value = 'The hooks';
    alt.dispatchEvent(new Event('input'));
    alt.dispatchEvent(new Event('blur'));
    await page.settle();
    await page.choose(page.getByLabelText('How wide it is'), 'small');
    expect(pictureIn(said.at(-1))).toEqual(picture({ alt: 'The hooks', width: 160 }));
    await choose();
    await page.refuse('/api/messages/pictures?name=hooks.png', { code: 'wrong-file', message: 'hooks.png: expected at most 200 kB.' }, 400);
    expect(page.getByRole('alert').textContent).toContain('expected at most 200 kB');
  });

  it('makes a part of what is chosen, for those whom its conditions name, and takes that back', async () => {
    const facts = { departments: [{ id: '1', name: 'Deck' }], sites: [], groups: [], jobs: [], courses: [] };
    const names = { ...NAMES_THEMSELVES, department: (id: string) => (id === '1' ? 'Deck' : id) };
    const page = await openPage(TextEditor, { inputs: { label: 'Text', body: 'All.\n\nHoses are aft.', parts: { facts, names } }, providers: [{ provide: ConditionPeople, useValue: {} }] });
    const said: Body[] = [];
    (page.fixture.componentInstance as TextEditor).changed.subscribe((body: Body) => said.push(body));
    const inside = (page.fixture.componentInstance as unknown as { editor: Editor }).editor;
    inside.commands.setTextSelection(inside.state.doc.content.size - 2);
    await page.click(page.getByRole('button', { name: 'For some' }));
    expect(said.at(-1)).toEqual(doc(p(text('All.')), { type: 'part', attrs: { onlyIf: null }, content: [p(text('Hoses are aft.'))] }));
    expect(document.querySelector<HTMLElement>('.part')!.dataset['words']).toBe('only if …');
    await page.click(page.getByRole('button', { name: 'Add a condition' }));
    await page.choose(page.getByLabelText('Add to condition 1'), 'Deck');
    const onlyIf = { all: [{ department: ['1'], below: true }] };
    expect(said.at(-1)).toEqual(doc(p(text('All.')), { type: 'part', attrs: { onlyIf }, content: [p(text('Hoses are aft.'))] }));
    expect(document.querySelector<HTMLElement>('.part')!.dataset['words']).toBe('only if in Deck');
    await page.click(page.getByRole('button', { name: 'For some' }));
    expect(said.at(-1)).toBe('All.\n\nHoses are aft.');
  }); // prettier-ignore
});

it('the plain text is made from the text until somebody writes it, and again when they leave it', async () => {
  const page = await openPage(TemplateEdit, { inputs: { message: { subject: 'S', body: doc({ type: 'heading', attrs: { level: 2 }, content: [text('Hi')] }), button: null } } }); // prettier-ignore
  const message = () => (page.fixture.componentInstance as TemplateEdit).message();
  await page.click(page.getByRole('button', { name: /Write the plain text/ }));
  expect(message().plain).toBe('Hi');
  await page.click(page.getByRole('button', { name: 'Make it from the text again' }));
  expect('plain' in message()).toBe(false);
});

describe('the message of a step', () => {
  const step = STANDARD_PLAN[1] as PlanStepView;
  const reader = (key: string, employee: string, troubles: string[] = []) => ({ key, employee, to: employee, language: 'en', troubles });
  const view = (at: number, rest: object = {}): LetterView => {
    const readers = [reader('2/employee', 'Per Aske', ['{job} has no value']), reader('1/employee', 'Runa Aske')];
    return { fault: null, readers, count: 2, inTrouble: 1, isInvented: false, language: 'en', languages: [], letter: { reader: readers[at]!, way: at === 0 ? 'It reaches them by mail: they have no name in the chat.' : null, inLanguage: null, address: 'x@orlasund.example', at: 'Mon 1 Mar 09:00, Oslo time', not: null, subject: 'Begin', html: '<p>Hi</p>', text: 'Hi', from: 'Safety training', replies: 'Tora Hauge', attached: [], values: { job: null } }, ...rest }; // prettier-ignore
  };
  const url = '/api/plans/7/letter';
  const open = () => openPage(MessageWriter, { inputs: { course: '7', step } });

  it('stands beside as those in trouble have it first, then as the next', async () => {
    const page = await open();
    expect((await page.answer(url, view(0))).body).toMatchObject({ as: null });
    expect(page.text()).toContain('1 of 2 people in trouble, those first.');
    expect(page.text()).toContain('It reaches them by mail: they have no name in the chat.');
    expect(page.text()).toContain('{job} has no value');
    await page.click(page.getByRole('button', { name: 'Next' }));
    expect((await page.answer(url, view(1))).body).toMatchObject({ as: '1/employee' });
    expect(page.text()).not.toContain('{job} has no value');
  });

  it('is sent to oneself as that reader has it, and says what came of it', async () => {
    const page = await open();
    await page.answer(url, view(0));
    await page.click(page.getByRole('button', { name: 'Send me this one' }));
    expect((await page.answer(`${url}/test`, { isAccepted: true, words: 'Sent to you.' })).body).toMatchObject({ as: '2/employee' });
    expect(page.getByRole('status').textContent).toContain('Sent to you.');
  });

  it('says at once what is wrong with the text, and sends nothing then', async () => {
    const page = await open();
    await page.answer(url, view(0));
    await page.set({ step: { ...step, message: { ...step.message, body: '{given nam}' } } });
    expect(page.getByRole('alert').textContent).toContain('Did you mean {given name}?');
    expect(page.getByRole<HTMLButtonElement>('button', { name: 'Send me this one' }).disabled).toBe(true);
  });

  it('is written in another language, begun as the text that is there, and goes to whoever reads it', async () => {
    const page = await open();
    const said: PlanStepView['message'][] = [];
    (page.fixture.componentInstance as MessageWriter).changed.subscribe((message) => said.push(message));
    const languages = [{ tag: 'nb', name: 'Norwegian', count: 12, isWritten: false }, { tag: 'lt', name: 'Lithuanian', count: 1, isWritten: false }]; // prettier-ignore
    await page.answer(url, view(0, { languages }));
    expect(page.text()).toContain('13 people read in Norwegian and Lithuanian, and would get the English text.');
    await page.choose(page.getByLabelText('Write it in another language'), 'Norwegian');
    const { subject, body, button } = step.message;
    expect(said.at(-1)).toEqual({ ...step.message, texts: { nb: { subject, body, button } } });
    const message = { ...step.message, texts: { nb: { subject: 'Om det', body: 'Hei', button: null } } };
    await page.set({ step: { ...step, message } });
    const runa = { ...reader('1/employee', 'Runa Aske'), language: 'nb' };
    await page.answer(url, { ...view(0, { languages: [{ ...languages[0], isWritten: true }] }), readers: [reader('2/employee', 'Per Aske'), runa] }); // prettier-ignore
    expect(page.text()).toContain('12 people would get this text.');
    const line = page.fixture.debugElement.query(By.directive(TextEditor)).componentInstance as unknown as { editor: Editor };
    line.editor.view.dispatch(line.editor.state.tr.insertText('!', line.editor.state.doc.content.size - 1));
    expect(said.at(-1)).toEqual({ ...step.message, texts: { nb: { subject: 'Om det!', body: 'Hei', button: null } } });
    // whoever goes to a text sees somebody who reads it
    await page.click(page.getByRole('button', { name: 'English' }));
    await page.click(page.getByRole('button', { name: 'Norwegian' }));
    expect((await page.answer(url, view(0))).body).toMatchObject({ as: '1/employee' });
    await page.click(page.getByRole('button', { name: 'Take the Norwegian text out' }));
    expect(said.at(-1)).toEqual(step.message);
  });

  it('brings files: chosen, given as a download, put in place, and taken out', async () => {
    const said: PlanStepView['message'][] = [];
    const files = [{ handout: '3', as: 'attached' as const, hours: 24, times: null, mayAsk: true }];
    const page = await openPage(MessageWriter, { inputs: { course: '7', step: { ...step, message: { ...step.message, files } } } });
    (page.fixture.componentInstance as MessageWriter).changed.subscribe((message) => said.push(message));
    const known = (id: string, name: string, version = 1) => ({ id, name, bytes: 2048, version, putAt: '2027-03-01T09:00:00Z', putBy: 'Tora Hauge' });
    await page.answer('/api/plans/7/handouts', [known('3', 'Hoses.pdf'), known('4', 'List.pdf')]);
    const file = () => page.getByRole('group', { name: 'Hoses.pdf' });
    await page.choose(file().querySelector<HTMLElement>('[aria-label="How it goes"]')!, 'to download');
    expect(said.at(-1)!.files).toEqual([{ ...files[0], as: 'download' }]);
    await page.choose(page.getByLabelText('A file that is here'), 'List.pdf, 2 kB');
    expect(said.at(-1)!.files!.map(({ handout, as }) => [handout, as])).toEqual([['3', 'attached'], ['4', 'attached']]);
    const field = document.querySelector<HTMLInputElement>('.adds input[type=file]')!;
    const choose = async (name: string, bytes: number) => {
      Object.defineProperty(field, 'files', { configurable: true, value: [new File([new Uint8Array(bytes)], name)] });
      field.dispatchEvent(new Event('change'));
      await page.settle();
    };
    await choose('Film.pdf', 8 * 1024 * 1024 + 1);
    expect(page.getByRole('alert').textContent).toContain('8 MB at the most');
    await choose('New.pdf', 10);
    await page.answer('/api/plans/7/handouts?name=New.pdf', known('5', 'New.pdf'));
    expect(said.at(-1)!.files!.map(({ handout }) => handout)).toEqual(['3', '5']);
    await page.click(file().querySelectorAll('button')[0]!);
    expect('files' in said.at(-1)!).toBe(false);
  }); // prettier-ignore

  it('begins with another text on wish, one that ships or one of another plan, and takes mine back', async () => {
    const page = await openPage(MessageWriter, { inputs: { course: '7', step } });
    const said: PlanStepView['message'][] = [];
    (page.fixture.componentInstance as MessageWriter).changed.subscribe((message) => said.push(message));
    await page.click(page.getByRole('button', { name: /^Begin with another text/ }));
    await page.answer('/api/messages', [{ course: { id: '9', title: 'Knots' }, step: { id: 'a', name: 'Soon', kind: 'reminder', on: true }, message: { subject: 'Tie it', body: 'x', button: null }, next28: 0, isFollowing: false }]);
    await page.choose(page.getByLabelText('Begin with another text'), 'Soon: Tie it');
    expect(said).toEqual([{ subject: 'Tie it', body: 'x', button: null }]);
    await page.click(page.getByRole('button', { name: 'Take mine back' }));
    expect(said.at(-1)).toEqual(step.message);
    await page.choose(page.getByLabelText('Begin with another text'), 'Nothing done for a week');
    expect(said.at(-1)!.subject).toBe('{course}: go on where you stopped');
  }); // prettier-ignore

  it('tells as whom it is told where nobody has the course', async () => {
    const page = await open();
    await page.answer(url, view(0, { isInvented: true }));
    expect(page.text()).toContain('Nobody has this course open');
  });
});

it('a kept form opens as it was written', () => {
  const written = doc(p(text('a')), p(field('due')));
  expect(docFrom(editor(docOf(keptForm(written))).getJSON())).toEqual(written);
});
