// A value that follows another one after a pause, so that typing does not ask at every key.
import { useEffect, useState } from "react";

export function useDelayed<T>(value: T, ms: number): T {
  const [later, setLater] = useState(value);
  useEffect(() => {
    const timer = setTimeout(() => setLater(value), ms);
    return () => clearTimeout(timer);
  }, [value, ms]);
  return later;
}
