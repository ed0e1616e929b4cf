// How answers of the service are kept and asked for again, for every page.
import { QueryClient } from "@tanstack/react-query";
import { Problem } from "../api/client";
import { mutationCache, queryCache } from "./Troubles";

const FRESH_MS = 10_000;
const RETRIES = 2;

/** A client whose queries try again where the service did not answer, but not where it refused. */
export const newQueryClient = () =>
  new QueryClient({
    queryCache,
    mutationCache,
    defaultOptions: {
      queries: {
        staleTime: FRESH_MS,
        refetchOnWindowFocus: false,
        retry: (failures, error) => failures < RETRIES && !(error instanceof Problem && error.status >= 400),
      },
    },
  });
