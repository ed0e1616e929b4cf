// The opening page: what needs attention first, then where this machine stands. An empty roster is taught to begin.
import { useQuery } from "@tanstack/react-query";
import { api } from "../api/client";
import type { Here } from "../api/types";
import { Attention } from "../parts/Attention";
import { HerePage } from "./HerePage";

export function HomePage() {
  const here = useQuery({ queryKey: ["here"], queryFn: () => api.get<Here>("/api/here") });
  return (
    <>
      {here.data?.scanned ? <div className="mx-auto max-w-6xl px-5 pt-5"><Attention /></div> : null}
      <HerePage />
    </>
  );
}
