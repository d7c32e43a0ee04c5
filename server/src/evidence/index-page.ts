import { drawFlow, type FlowBlock } from '../certificates/draw-flow.ts';

/** What the index of a pack is made of: the same for the page and for print. */
export type IndexBlock = FlowBlock | { kind: 'files'; files: readonly { path: string; words: string }[] };

export const escaped = (text: string): string =>
  text.replace(/[&<>"']/g, (sign) => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;', "'": '&#39;' })[sign]!);

const hrefOf = (path: string): string => path.split('/').map(encodeURIComponent).join('/');

const LOOK = `
:root { color-scheme: light; }
body { font: 16px/1.5 system-ui, sans-serif; color: #1e2430; background: #fff; max-width: 860px; margin: 40px auto; padding: 0 24px; }
h1 { font: 600 30px/1.25 Georgia, serif; margin: 4px 0 12px; } h2 { font-size: 18px; margin: 26px 0 6px; }
.small { color: #6c2a5e; font-weight: 600; } hr { border: 0; border-top: 1px solid #ddd6ca; margin: 22px 0; }
table { border-collapse: collapse; width: 100%; } th { text-align: left; font-weight: 400; color: #5b6472; width: 190px; padding: 3px 14px 3px 0; vertical-align: top; } td { padding: 3px 0; vertical-align: top; overflow-wrap: anywhere; }
a { color: #6c2a5e; } ul { padding-left: 20px; } @media print { body { margin: 0; max-width: none; } }
`;

function htmlOf(block: IndexBlock): string {
  switch (block.kind) {
    case 'title':
      return `<h1>${escaped(block.text)}</h1>`;
    case 'head':
      return `<h2>${escaped(block.text)}</h2>`;
    case 'rule':
      return '<hr>';
    case 'text':
      return `<p>${escaped(block.text)}</p>`;
    case 'small':
      return `<p class="small">${escaped(block.text)}</p>`;
    case 'check':
      return `<p>${block.isMet ? 'met' : 'not met'}: ${escaped(block.text)}</p>`;
    case 'facts':
      return `<table>${block.facts.map(([label, value]) => `<tr><th scope="row">${escaped(label)}</th><td>${escaped(value)}</td></tr>`).join('')}</table>`;
    case 'files':
      return `<ul>${block.files.map(({ path, words }) => `<li><a href="${hrefOf(path)}">${escaped(path)}</a>: ${escaped(words)}</li>`).join('')}</ul>`;
  }
}

/** A page that needs nothing beside it: no script, no picture, no font. */
export const indexHtml = (title: string, blocks: readonly IndexBlock[]): string =>
  `<!doctype html>\n<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1">` +
  `<meta http-equiv="Content-Security-Policy" content="default-src 'none'; style-src 'unsafe-inline'"><title>${escaped(title)}</title><style>${LOOK}</style></head>` +
  `<body>\n${blocks.map(htmlOf).join('\n')}\n</body></html>\n`;

export const indexPdf = (title: string, author: string, at: number, blocks: readonly IndexBlock[]): Promise<Buffer> =>
  drawFlow(
    blocks.map((block): FlowBlock => (block.kind === 'files' ? { kind: 'facts', facts: block.files.map(({ path, words }) => [path, words]) } : block)),
    { title, author, at },
  ); // prettier-ignore
