/** Saves a file that the server makes. */
export function save(href: string, name: string) {
  const link = document.createElement("a");
  link.href = href;
  link.download = name;
  link.click();
}

/** Hands over a file made here. */
export function handOver(blob: Blob, name: string) {
  const href = URL.createObjectURL(blob);
  save(href, name);
  setTimeout(() => URL.revokeObjectURL(href), 10_000);
}
