// Where to go after a sign-in.

/** A page of this console and nothing else: a path, never another host's. */
export function inside(to: string | null): string {
  const odd = [...(to ?? "")].some((one) => one < " " || one === "\\" || one === "\x7f");
  return to && to.startsWith("/") && !to.startsWith("//") && !odd ? to : "/";
}
