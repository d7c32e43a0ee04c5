/** Fetches a file by its address, as a click on a link would. */
export function download(href: string): void {
  const link = document.createElement('a');
  link.href = href;
  link.download = '';
  link.click();
}

/** Hands over a text that was made in this browser, as a file. */
export function saveText(name: string, text: string, type: string): void {
  const href = URL.createObjectURL(new Blob([text], { type: `${type};charset=utf-8` }));
  const link = document.createElement('a');
  link.href = href;
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(href), 10_000);
}
