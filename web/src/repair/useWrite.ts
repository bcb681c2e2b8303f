import { useState } from "react";
import type { Body, JobView } from "../api/client";
import { useAppend } from "../api/hooks";
import { handOver, type Sent } from "../ui/handOver";

interface After {
  /** Fields that are empty from the press on. */
  sent?: readonly Sent[];
  done?: () => void;
  refused?: () => void;
}

/** Write entries and keep the sentence of a refusal where it happened. */
export const useWrite = (job: JobView) => {
  const append = useAppend(job);
  const [error, setError] = useState<string>();
  return {
    busy: append.isPending,
    error,
    setError,
    write: (bodies: Body[], { sent = [], done, refused }: After = {}) => {
      setError(undefined);
      const giveBack = handOver(sent);
      append.mutate(bodies, {
        onSuccess: done,
        onError: (e) => {
          giveBack();
          refused?.();
          setError(e.message);
        },
      });
    },
  };
};
