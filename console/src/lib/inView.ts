// Whether an element has come into view: once it has, it stays so.
import { useCallback, useState } from "react";

export function useInView<T extends HTMLElement>(): [(element: T | null) => void, boolean] {
  const [seen, setSeen] = useState(false);
  const watch = useCallback((element: T | null) => {
    if (!element) return;
    const observer = new IntersectionObserver(
      (entries) => {
        if (!entries.some((entry) => entry.isIntersecting)) return;
        setSeen(true);
        observer.disconnect();
      },
      { rootMargin: "400px" },
    );
    observer.observe(element);
    return () => observer.disconnect();
  }, []);
  return [watch, seen];
}
