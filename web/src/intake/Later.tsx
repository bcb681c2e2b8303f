import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { api, Refusal, take, type Body, type JobView } from "../api/client";
import { useAppend } from "../api/hooks";
import { cents, money } from "../ui/format";
import { ErrorLine, Heading, Tick } from "../ui/parts";

/** What can come at any time: vehicle, customer, pack, promise and money. */
export const LaterForm = ({ job }: { job: JobView }) => {
  const append = useAppend(job);
  const [vehicle, setVehicle] = useState(job.vehicle);
  const [frame, setFrame] = useState(job.frame_number ?? "");
  const [controller, setController] = useState(job.controller ?? "");
  const [name, setName] = useState(job.customer?.name ?? "");
  const [contact, setContact] = useState(job.customer?.contact ?? "");
  const [sticker, setSticker] = useState(job.pack?.sticker ?? "");
  const [promised, setPromised] = useState(job.promised ? job.promised.slice(0, 16) : "");
  const [value, setValue] = useState(job.value_cents == null ? "" : money(job.value_cents).slice(1));
  const [limit, setLimit] = useState(job.limit_cents == null ? "" : money(job.limit_cents).slice(1));
  const [error, setError] = useState<string>();
  const [saved, setSaved] = useState(false);
  const save = async () => {
    setError(undefined);
    setSaved(false);
    const bodies: Body[] = [];
    try {
      if (
        vehicle !== job.vehicle ||
        frame !== (job.frame_number ?? "") ||
        controller !== (job.controller ?? "")
      )
        bodies.push({
          kind: "vehicle",
          name: vehicle,
          frame_number: frame || null,
          controller: controller || null,
        });
      if (name !== (job.customer?.name ?? "") || contact !== (job.customer?.contact ?? "")) {
        const id = job.customer_id ?? crypto.randomUUID();
        await take(api.PUT("/customers/{id}", { params: { path: { id } }, body: { name, contact } }));
        bodies.push({ kind: "customer", customer: id });
      }
      if (sticker !== "" && sticker !== job.pack?.sticker) {
        const pack = await take(api.PUT("/packs/{sticker}", { params: { path: { sticker } } }));
        bodies.push({ kind: "pack", pack: pack.id, sticker: pack.sticker });
      }
      const amount = (t: string, field: string): number | null => {
        if (t.trim() === "") return null;
        const c = cents(t);
        if (c === null) throw new Error(`“${t}” is no amount for ${field}. Write it as 120 or 120.50.`);
        return c;
      };
      const terms = {
        promised: promised === "" ? null : `${promised}:00Z`,
        value_cents: amount(value, "the vehicle’s value"),
        limit_cents: amount(limit, "the limit"),
      };
      const before = {
        promised: job.promised ?? null,
        value_cents: job.value_cents ?? null,
        limit_cents: job.limit_cents ?? null,
      };
      if (
        (terms.promised ?? "").slice(0, 16) !== (before.promised ?? "").slice(0, 16) ||
        terms.value_cents !== before.value_cents ||
        terms.limit_cents !== before.limit_cents
      )
        bodies.push({ kind: "terms", ...terms });
      if (bodies.length > 0) await append.mutateAsync(bodies);
      setSaved(true);
    } catch (x) {
      setError(x instanceof Refusal || x instanceof Error ? x.message : String(x));
    }
  };
  const field = (label: string, value: string, set: (t: string) => void, extra: object = {}) => (
    <TextField
      label={label}
      value={value}
      onChange={(e) => {
        set(e.target.value);
        setSaved(false);
      }}
      size="small"
      fullWidth
      {...extra}
    />
  );
  return (
    <Box component="section">
      <Heading note="any of it, at any time">Later, when it changes the next step</Heading>
      <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", gap: 2, mt: 2 }}>
        {field("Vehicle’s name", vehicle, setVehicle, { name: "vehicle" })}
        {field("Frame number", frame, setFrame)}
        {field("Pack, sticker", sticker, setSticker)}
        {field("Controller label", controller, setController)}
        {field("Customer", name, setName)}
        {field("Phone or mail", contact, setContact)}
        {field("Promised for", promised, setPromised, {
          type: "datetime-local",
          slotProps: { inputLabel: { shrink: true } },
        })}
        <span />
        {field("Vehicle’s value, €", value, setValue)}
        {field("Customer’s limit, €", limit, setLimit)}
      </Box>
      <Box sx={{ mt: 2, display: "flex", gap: 2, alignItems: "center" }}>
        <Button onClick={() => void save()} disabled={append.isPending || job.closed != null} data-save>
          Keep it
        </Button>
        {saved && (
          <Box sx={{ display: "flex", gap: 0.5 }}>
            <Tick /> kept
          </Box>
        )}
      </Box>
      {error && <ErrorLine>{error}</ErrorLine>}
    </Box>
  );
};
