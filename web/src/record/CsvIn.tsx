import Box from "@mui/material/Box";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { sendFile, type JobView, type Schemas } from "../api/client";
import { FileButton } from "../ui/FileButton";
import { ErrorLine, Tick } from "../ui/parts";

/** Which lines a file holds, by a column that only they have. */
const KINDS: [column: string, kind: string, words: string][] = [
  ["typed", "readings", "readings"],
  ["part out", "parts", "parts"],
  ["what for", "time", "lines of minutes"],
];

/** Readings, parts or minutes come in from a CSV file; its header says which. */
export const CsvIn = ({ job }: { job: JobView }) => {
  const client = useQueryClient();
  const [said, setSaid] = useState<{ error?: string; done?: string }>({});
  const bring = async (file: File) => {
    setSaid({});
    try {
      const text = await file.text();
      const header = (text.split(/\r?\n/, 1)[0] ?? "").toLowerCase();
      const kind = KINDS.find(([column]) =>
        header.split(",").some((c) => c.replaceAll('"', "").trim() === column),
      );
      if (kind === undefined)
        throw new Error(
          `${file.name} has none of the columns “${KINDS.map((k) => k[0]).join("”, “")}”. A file written by Readings, Parts or Minutes above reads back.`,
        );
      const path = `/jobs/${job.id}/${kind[1]}.csv`;
      const { lines, known, equal } = await sendFile<Schemas["LinesIn"]>(path, "text/csv", text);
      const twice =
        equal.length === 0
          ? ""
          : ` The same as one above, taken once: line ${equal.join(", ")}. If it is another, give it another time or word.`;
      const before = known === 0 ? "" : ` ${String(known)} of them were there already.`;
      setSaid({ done: `${String(lines)} ${kind[2]} read from ${file.name}.${before}${twice}` });
      for (const key of ["job", "record", "report"])
        await client.invalidateQueries({ queryKey: [key, job.id] });
    } catch (x) {
      setSaid({ error: x instanceof Error ? x.message : String(x) });
    }
  };
  return (
    <>
      <FileButton
        label="Readings, parts or minutes as CSV"
        name="csv"
        accept="text/csv,.csv"
        mark="data-csv-in"
        onFile={(f) => void bring(f)}
      >
        CSV in
      </FileButton>
      {(said.error ?? said.done) !== undefined && (
        <Box sx={{ flexBasis: "100%" }} role="status" data-csv={said.error === undefined ? "in" : "refused"}>
          {said.error === undefined ? (
            <Box sx={{ display: "flex", gap: 0.7 }}>
              <Tick /> {said.done}
            </Box>
          ) : (
            <ErrorLine>{said.error}</ErrorLine>
          )}
        </Box>
      )}
    </>
  );
};
