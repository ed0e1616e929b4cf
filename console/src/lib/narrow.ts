// Whether the window is too narrow for the page and the side sheet beside each other.
import { useSyncExternalStore } from "react";

const query = () => matchMedia("(width < 64rem)"); // Tailwind's lg

export function useNarrow(): boolean {
  return useSyncExternalStore(
    (changed) => {
      const asked = query();
      asked.addEventListener("change", changed);
      return () => asked.removeEventListener("change", changed);
    },
    () => query().matches,
  );
}
