import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, entry, take, type Body, type JobView } from "./client";

export const useMe = () =>
  useQuery({ queryKey: ["me"], queryFn: () => take(api.GET("/session")), retry: false, staleTime: 60_000 });

export const useChoices = () =>
  useQuery({ queryKey: ["choices"], queryFn: () => take(api.GET("/catalogue")), staleTime: Infinity });

export const useJob = (id: string) =>
  useQuery({
    queryKey: ["job", id],
    queryFn: () => take(api.GET("/jobs/{id}", { params: { path: { id } } })),
  });

export const useRack = (find: string) =>
  useQuery({
    queryKey: ["rack", find],
    queryFn: () => take(api.GET("/rack", { params: { query: { find } } })),
    refetchInterval: 30_000,
    placeholderData: (old) => old,
  });

export const useCard = (id: string, test: string | undefined, head: number) =>
  useQuery({
    queryKey: ["card", id, test, head],
    enabled: test !== undefined,
    queryFn: () => take(api.GET("/jobs/{id}/tests/{test}", { params: { path: { id, test: test ?? "" } } })),
    placeholderData: (old) => old,
  });

export const useRecord = (id: string) =>
  useQuery({
    queryKey: ["record", id],
    queryFn: () => take(api.GET("/jobs/{id}/record", { params: { path: { id } } })),
  });

/** Append entries to a job. What was decided on goes along, so that newer entries are not overrun. */
export function useAppend(job: JobView | undefined) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (bodies: Body[]) => {
      const id = job?.id ?? "";
      const entries = bodies.map((b) => entry(b, job?.head));
      return take(api.POST("/jobs/{id}/entries", { params: { path: { id } }, body: { entries } }));
    },
    onSuccess: (view) => {
      client.setQueryData(["job", view.id], view);
      void client.invalidateQueries({ queryKey: ["record", view.id] });
      void client.invalidateQueries({ queryKey: ["rack"] });
    },
  });
}
