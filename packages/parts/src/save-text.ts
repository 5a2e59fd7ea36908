/** Gives a text to the browser to keep as a file. */
export function saveText(name: string, text: string, type = 'text/plain'): void {
  const link = document.createElement('a');
  link.href = URL.createObjectURL(new Blob([text], { type }));
  link.download = name;
  link.click();
  // The browser begins to read it after this.
  setTimeout(() => URL.revokeObjectURL(link.href), 1000);
}
