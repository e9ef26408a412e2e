/** Hand a file to the person's browser. */
export function saveFile(content: Blob, name: string): void {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(content);
  link.download = name;
  link.click();
  URL.revokeObjectURL(link.href);
}

/** Have the browser fetch a file from an address of ours. */
export function fetchFile(address: string, name: string): void {
  const link = document.createElement("a");
  link.href = address;
  link.download = name;
  link.click();
}

/** A name that every file system takes. */
export function fileName(words: string, kind: string): string {
  return `${words.replace(/[^\w-]+/g, "-").toLowerCase()}.${kind}`;
}
