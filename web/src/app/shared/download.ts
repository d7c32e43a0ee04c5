/** Fetches a file by its address, as a click on a link would. */
export function download(href: string): void {
  const link = document.createElement('a');
  link.href = href;
  link.download = '';
  link.click();
}
