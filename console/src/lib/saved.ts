// Gives the browser a file to keep.
export function saved(data: Blob, name: string): void {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(data);
  link.download = name.toLowerCase().replaceAll(/[^a-z0-9.]+/g, "-");
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}
