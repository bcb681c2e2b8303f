import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import type { JobView } from "../api/client";
import { v } from "../theme/tokens";
import { Form, Line, number } from "../ui/form";
import { Disc, ErrorLine, Heading } from "../ui/parts";
import { useWrite } from "./useWrite";

/** How it goes together again, as a chain in the order of assembly. */
export const Assembly = ({ job }: { job: JobView }) =>
  job.assembly.length === 0 ? null : (
    <Box component="section">
      <Heading note="in the order of assembly">Reassembly</Heading>
      <Box sx={{ mt: 1, display: "flex", gap: 1.5, flexWrap: "wrap" }}>
        {job.assembly.map((a) => (
          <Box
            key={a.entry}
            data-assembly={a.step}
            sx={{ borderTop: `2px solid ${v("ink")}`, pt: 1, width: 186, display: "grid", gap: 0.3 }}
          >
            <Box sx={{ display: "flex", gap: 1, alignItems: "center" }}>
              <Disc size={26}>{a.step}</Disc>
              <b>{a.part}</b>
            </Box>
            <Box sx={{ fontSize: 15, color: v("ink2") }}>
              {[a.orientation, a.lubricant].filter(Boolean).join(", ")}
            </Box>
            {a.torque_nm != null && <b style={{ fontSize: 18 }}>{a.torque_nm} N·m</b>}
          </Box>
        ))}
      </Box>
    </Box>
  );

export const AssemblyForm = ({ job }: { job: JobView }) => {
  const { write, busy, error, setError } = useWrite(job);
  const next = Math.max(0, ...job.assembly.map((a) => a.step)) + 1;
  const [part, setPart] = useState("");
  const [step, setStep] = useState("");
  const [way, setWay] = useState("");
  const [grease, setGrease] = useState("");
  const [torque, setTorque] = useState("");
  return (
    <Form
      mark="assembly"
      onSend={() => {
        const at = step.trim() === "" ? next : number(step);
        const nm = torque.trim() === "" ? null : number(torque);
        if (!Number.isInteger(at) || (nm !== null && !Number.isFinite(nm))) {
          setError("Step is a whole number, torque a number in N·m.");
          return;
        }
        write([{ kind: "reassembly", part, step: at, orientation: way, lubricant: grease, torque_nm: nm }], {
          sent: [
            [part, setPart],
            [step, setStep],
            [way, setWay],
            [grease, setGrease],
            [torque, setTorque],
          ],
        });
      }}
    >
      <Line label="Part" name="assembly-part" value={part} onChange={setPart} />
      <Line label={`Step, ${String(next)} when left out`} value={step} onChange={setStep} mode="numeric" />
      <Line label="Orientation" value={way} onChange={setWay} />
      <Line label="Grease, lock or sealant" value={grease} onChange={setGrease} />
      <Line label="Torque, N·m" value={torque} onChange={setTorque} mode="decimal" />
      <Button
        type="submit"
        disabled={busy || part.trim() === ""}
        data-add-assembly
        sx={{ justifySelf: "start" }}
      >
        Save the step
      </Button>
      {error !== undefined && <ErrorLine>{error}</ErrorLine>}
    </Form>
  );
};
