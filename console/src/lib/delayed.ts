// A value that follows another one after a pause, so that typing does not ask at every key.
import { useEffect, useState } from "react";

export function useDelayed<T>(value: T, ms: number): T {
  const [later, setLater] = useState(value);
  const told = JSON.stringify(value); // what is written anew in each render is not another value
  useEffect(() => {
    const timer = setTimeout(() => setLater(JSON.parse(told) as T), ms);
    return () => clearTimeout(timer);
  }, [told, ms]);
  return later;
}
