import { useState } from "react";
import type { Body, JobView } from "../api/client";
import { useAppend } from "../api/hooks";

/** Write entries and keep the sentence of a refusal where it happened. */
export const useWrite = (job: JobView) => {
  const append = useAppend(job);
  const [error, setError] = useState<string>();
  return {
    busy: append.isPending,
    error,
    setError,
    write: (bodies: Body[], done?: () => void) => {
      setError(undefined);
      append.mutate(bodies, {
        onSuccess: done,
        onError: (e) => {
          setError(e.message);
        },
      });
    },
  };
};
