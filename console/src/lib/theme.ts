// Light or dark: what was chosen, else what the system prefers.
import { useEffect, useState } from "react";

const KEY = "roster-theme";
type Theme = "light" | "dark";

function preferred(): Theme {
  const kept = localStorage.getItem(KEY);
  if (kept === "light" || kept === "dark") return kept;
  return matchMedia("(prefers-color-scheme: dark)").matches ? "dark" : "light";
}

export function useTheme(): [Theme, () => void] {
  const [theme, setTheme] = useState(preferred);
  useEffect(() => {
    document.documentElement.dataset.theme = theme;
  }, [theme]);
  const toggle = () =>
    setTheme((now) => {
      const next = now === "dark" ? "light" : "dark";
      localStorage.setItem(KEY, next);
      return next;
    });
  return [theme, toggle];
}
