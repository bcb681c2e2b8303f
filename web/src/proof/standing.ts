import type { JobView } from "../api/client";

type Row = JobView["proof"][number];

/** Passed, excepted or not asked of this vehicle. */
export const isClosed = (row: Row): boolean => row.standing !== "open" && row.standing !== "failed";

/** Checks that are still to be done. */
export const toDo = (job: JobView): number => job.proof.filter((r) => !isClosed(r)).length;

/** All that this job must pass is closed: nothing is left to find. */
export const isProved = (job: JobView): boolean => job.proof.length > 0 && toDo(job) === 0;
