import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { api, Refusal, take, type Body, type JobView } from "../api/client";
import { useAppend } from "../api/hooks";
import { amount as inField, cents, field as timeField, instant, number4, sign } from "../ui/format";
import { number } from "../ui/form";
import { ErrorLine, Heading, Tick } from "../ui/parts";
import { CardBefore } from "./CardBefore";

/** What can come at any time: vehicle, customer, pack, promise and money. */
export const LaterForm = ({ job }: { job: JobView }) => {
  const append = useAppend(job);
  const [vehicle, setVehicle] = useState(job.vehicle);
  const [frame, setFrame] = useState(job.frame_number ?? "");
  const [controller, setController] = useState(job.controller ?? "");
  const [name, setName] = useState(job.customer?.name ?? "");
  const [contact, setContact] = useState(job.customer?.contact ?? "");
  const [sticker, setSticker] = useState(job.pack?.sticker ?? "");
  const [promised, setPromised] = useState(timeField(job.promised));
  const [value, setValue] = useState(inField(job.value_cents));
  const [limit, setLimit] = useState(inField(job.limit_cents));
  const [stop, setStop] = useState(job.stop_loss_minutes == null ? "" : String(job.stop_loss_minutes));
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
        // somebody else's name is somebody else: earlier jobs keep the card they have
        const same = job.customer == null || name === job.customer.name;
        const id = (same ? job.customer_id : null) ?? crypto.randomUUID();
        await take(api.PUT("/customers/{id}", { params: { path: { id } }, body: { name, contact } }));
        bodies.push({ kind: "customer", customer: id });
      }
      if (sticker !== "" && sticker !== job.pack?.sticker) {
        const pack = await take(
          api.PUT("/packs/{sticker}", { params: { path: { sticker }, query: { job: job.id } } }),
        );
        const known = pack.sticker === job.last_pack;
        if (pack.past != null && !known)
          throw new Error(
            `Sticker ${pack.sticker} was on job ${number4(pack.past.number)}. Name it at the gate, which asks whether it is that pack.`,
          );
        bodies.push({ kind: "pack", pack: pack.id, sticker: pack.sticker, known });
      }
      const amount = (t: string, field: string): number | null => {
        if (t.trim() === "") return null;
        const c = cents(t);
        if (c === null) throw new Error(`“${t}” is no amount for ${field}. Write it as 120 or 120.50.`);
        return c;
      };
      const minutes = stop.trim() === "" ? null : number(stop);
      if (minutes !== null && !(minutes > 0))
        throw new Error(`“${stop}” are no minutes to stop after. Write it as 60.`);
      const terms = {
        promised: promised === timeField(job.promised) ? (job.promised ?? null) : instant(promised),
        value_cents: amount(value, "the vehicle’s value"),
        limit_cents: amount(limit, "the limit"),
        stop_loss_minutes: minutes,
      };
      // only what was changed here is set: what somebody else changes meanwhile stays
      const changed = (Object.keys(terms) as (keyof typeof terms)[]).filter(
        (k) => terms[k] !== (job[k] ?? null),
      );
      if (changed.length > 0) bodies.push({ kind: "terms", ...terms, set: changed });
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
      <Heading note="any of it, at any time">Later, when it is needed</Heading>
      <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", gap: 2, mt: 2 }}>
        {field("Vehicle’s name", vehicle, setVehicle, { name: "vehicle" })}
        {field("Frame number", frame, setFrame)}
        {field("Pack, sticker", sticker, setSticker)}
        {field("Controller label", controller, setController)}
        {field("Customer", name, setName)}
        {field("Phone or mail", contact, setContact)}
        {field("Promised for", promised, setPromised, {
          name: "promised",
          type: "datetime-local",
          slotProps: { inputLabel: { shrink: true } },
        })}
        {field("Stop and ask after, min", stop, setStop, { name: "stop" })}
        {field(`Vehicle’s value, ${sign().trim()}`, value, setValue)}
        {field(`Customer’s limit, ${sign().trim()}`, limit, setLimit)}
      </Box>
      <Box sx={{ mt: 2, display: "flex", gap: 2, alignItems: "center" }}>
        <Button onClick={() => void save()} disabled={append.isPending || job.closed != null} data-save>
          Save
        </Button>
        {saved && (
          <Box sx={{ display: "flex", gap: 0.5 }}>
            <Tick /> kept
          </Box>
        )}
      </Box>
      {error && <ErrorLine>{error}</ErrorLine>}
      {job.customer_id != null && <CardBefore customer={job.customer_id} />}
    </Box>
  );
};
