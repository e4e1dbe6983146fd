/** Hands a document over to the browser to be saved under a name. */
export function download(content: Blob, name: string): void {
  const address = URL.createObjectURL(content);
  const link = document.createElement('a');
  link.href = address;
  link.download = name;
  link.click();
  // The browser has begun by then; the bytes need not stay in memory.
  setTimeout(() => URL.revokeObjectURL(address), 10_000);
}
