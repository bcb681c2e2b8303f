import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState, type ReactNode } from "react";
import { useNavigate, useParams } from "react-router";
import type { Body, Change, JobView, KnownFrom, VehicleProfile } from "../api/client";
import { useAppend, useJob, useProfile } from "../api/hooks";
import { JobLine } from "../frame/JobLine";
import { JobCell, MinutesCell, TitleBlock } from "../frame/TitleBlock";
import { v } from "../theme/tokens";
import { pressed, Select } from "../ui/form";
import { ErrorLine, Heading, Triangle } from "../ui/parts";
import { SOURCES } from "./sources";

const from = (source: KnownFrom | null | undefined): string =>
  SOURCES.find((s) => s[0] === source)?.[2] ?? "";

const figure = (x: number): string => String(Math.round(x * 1000) / 1000);

const parse = (text: string): number => Number(text.trim().replace(",", "."));

/** What this vehicle has that its kind usually does not, and where that is known from. Predictions follow. */
export const VehiclePage = () => {
  const { id = "" } = useParams();
  const job = useJob(id);
  const profile = useProfile(job.data);
  const error = job.error ?? profile.error;
  if (!job.data || !profile.data)
    return <Box sx={{ p: 3 }}>{error ? <ErrorLine>{error.message}</ErrorLine> : "Fetching the vehicle"}</Box>;
  return <VehicleOf job={job.data} profile={profile.data} />;
};

const VehicleOf = ({ job, profile: p }: { job: JobView; profile: VehicleProfile }) => {
  const append = useAppend(job);
  const go = useNavigate();
  const [source, setSource] = useState<KnownFrom>("label");
  const closed = job.closed != null;
  const set = (change: Change) => {
    const body: Body = { kind: "change", change, source };
    append.mutate([body]);
  };
  const common = { busy: append.isPending || closed };
  return (
    <Box sx={{ minHeight: "100vh", display: "flex", flexDirection: "column" }}>
      <JobLine job={job} here="bench" />
      <TitleBlock>
        <JobCell job={job} />
        <MinutesCell job={job} />
      </TitleBlock>
      <Box
        sx={{
          display: "flex",
          gap: 1.5,
          alignItems: "center",
          flexWrap: "wrap",
          px: 2,
          pt: 1.5,
          fontSize: 16,
        }}
      >
        <Heading note={p.family}>This vehicle</Heading>
        <Box sx={{ flex: 1 }} />
        <span id="from">What I set next comes from</span>
        <Box sx={{ display: "flex", gap: 0.6 }} role="group" aria-labelledby="from">
          {SOURCES.map(([id, words]) => (
            <Button
              key={id}
              aria-pressed={source === id}
              data-source={id}
              onClick={() => {
                setSource(id);
              }}
              sx={{ minHeight: 44, height: 44, px: 1.4, ...pressed(source === id) }}
            >
              {words}
            </Button>
          ))}
        </Box>
        <Button onClick={() => void go(`/jobs/${job.id}/bench`)} data-to-bench>
          To the bench
        </Button>
      </Box>
      <Box sx={{ px: 2, minHeight: 42, pt: 0.5, fontSize: 15.5, color: v("ink2") }}>
        {append.error ? (
          <ErrorLine>{append.error.message}</ErrorLine>
        ) : (
          "Readings stay as they were taken; what they are compared with follows the vehicle."
        )}
      </Box>
      <Box
        sx={{
          display: "grid",
          gridTemplateColumns: "1fr 1fr",
          gap: 3,
          px: 2,
          pb: 3,
          "@media (max-width: 1000px)": { gridTemplateColumns: "1fr" },
        }}
      >
        <Box sx={{ display: "grid", gap: 2.5, alignContent: "start", minWidth: 0 }}>
          <PackTable key={p.head} pack={p.pack} set={set} {...common} />
          <Table caption="Labels and settings" value="Here">
            {p.figures.map((f) => (
              <Row
                key={`${f.id} ${String(f.value)}`}
                id={f.id}
                name={f.name}
                unit={f.unit}
                usual={f.usual}
                value={f.value}
                source={from(f.source)}
                changed={f.changed}
                note={f.caution ?? (f.predicts ? undefined : "noted only")}
                warns={f.caution != null}
                onSet={(value) => {
                  set({ what: "figure", figure: f.id, value });
                }}
                {...common}
              />
            ))}
          </Table>
        </Box>
        <Box sx={{ display: "grid", gap: 2.5, alignContent: "start", minWidth: 0 }}>
          <Altered altered={p.alterations} set={set} {...common} />
          <BuiltSo built={p.built} set={set} {...common} />
          {p.halls && (
            <Box sx={{ display: "flex", gap: 1, alignItems: "center", fontSize: 16 }}>
              <b>Hall spacing</b>
              {[120, 60].map((degrees) => (
                <Button
                  key={degrees}
                  disabled={common.busy}
                  aria-pressed={p.halls?.degrees === degrees}
                  data-halls={degrees}
                  onClick={() => {
                    set({ what: "hall-spacing", degrees });
                  }}
                  sx={{ minHeight: 44, height: 44, ...pressed(p.halls?.degrees === degrees) }}
                >
                  {degrees}°
                </Button>
              ))}
              <Box component="span" sx={{ color: v("ink2"), fontSize: 15 }}>
                {from(p.halls.source)}
              </Box>
            </Box>
          )}
          <Table caption="Wires" value="Here">
            {p.strands.map((s) => (
              <Row
                key={`${s.id} ${String(s.mm2)}`}
                id={`wires-${s.id}`}
                name={s.name}
                unit="mm²"
                usual={s.usual_mm2}
                value={s.mm2}
                source={from(s.source)}
                changed={s.changed}
                onSet={(mm2) => {
                  set({ what: "gauge", strand: s.id, mm2 });
                }}
                {...common}
              />
            ))}
          </Table>
          <Box sx={{ fontSize: 15, color: v("ink2") }}>
            Colours, added wires, other pins, levers and pull-ups: press the strand on the path, then “Not
            like this here”.
          </Box>
        </Box>
      </Box>
    </Box>
  );
};

const Table = ({ caption, value, children }: { caption: string; value: string; children: ReactNode }) => (
  <Box
    component="table"
    sx={{
      borderCollapse: "collapse",
      width: "100%",
      fontSize: 16,
      "& td, & th": { borderBottom: `1px solid ${v("ruleStrong")}`, py: 0.4, px: 0.8, textAlign: "left" },
      "& th": { fontSize: 14, fontWeight: 600, color: v("ink2") },
      "& .number": { textAlign: "right", fontVariantNumeric: "tabular-nums", whiteSpace: "nowrap" },
    }}
  >
    <thead>
      <tr>
        <th style={{ fontSize: 17, color: v("ink"), fontWeight: 700 }}>{caption}</th>
        <th className="number">Usual</th>
        <th className="number">{value}</th>
        <th>From</th>
        <th>
          <Box component="span" sx={{ position: "absolute", left: -9999 }}>
            Set
          </Box>
        </th>
      </tr>
    </thead>
    <tbody>{children}</tbody>
  </Box>
);

const field = {
  font: "inherit",
  fontSize: 17,
  fontWeight: 650,
  height: 44,
  width: 92,
  textAlign: "right",
  border: `1.5px solid ${v("ink")}`,
  borderRadius: "3px",
  background: v("sheet"),
  color: v("ink"),
  px: 0.8,
} as const;

const Row = ({
  id,
  name,
  unit,
  usual,
  value,
  source,
  changed,
  note,
  warns = false,
  busy,
  onSet,
}: {
  id: string;
  name: string;
  unit: string;
  usual: number;
  value: number;
  source: string;
  changed: boolean;
  note?: string;
  /** The note says that something is wrong. */
  warns?: boolean;
  busy: boolean;
  onSet: (value: number) => void;
}) => {
  const [text, setText] = useState(figure(value));
  const typed = parse(text);
  const ready = Number.isFinite(typed) && text.trim() !== "" && typed !== value;
  const send = () => {
    if (ready && !busy) onSet(typed);
  };
  return (
    <tr data-figure={id}>
      <td>
        {name}
        {note !== undefined &&
          (warns ? (
            <ErrorLine tight>{note}</ErrorLine>
          ) : (
            <Box component="span" sx={{ ml: 1, fontSize: 14, color: v("ink2") }}>
              {note}
            </Box>
          ))}
      </td>
      <td className="number">
        {figure(usual)} {unit}
      </td>
      <td className="number">
        <Box
          component="input"
          inputMode="decimal"
          aria-label={`${name}, ${unit}`}
          value={text}
          disabled={busy}
          onChange={(e: React.ChangeEvent<HTMLInputElement>) => {
            setText(e.target.value);
          }}
          onKeyDown={(e: React.KeyboardEvent) => {
            if (e.key === "Enter") send();
          }}
          sx={{ ...field, borderWidth: changed ? "2.5px" : "1.5px" }}
        />{" "}
        {unit}
      </td>
      <td style={{ color: v("ink2"), fontSize: 15, width: 84 }} data-from>
        {changed ? source || "not said" : ""}
      </td>
      <td style={{ width: 62 }}>
        <Button
          disabled={busy || !ready}
          onClick={send}
          aria-label={`Set ${name}`}
          sx={{ minHeight: 44, height: 44, minWidth: 54, px: 1 }}
          data-set
        >
          Set
        </Button>
      </td>
    </tr>
  );
};

const PackTable = ({
  pack,
  set,
  busy,
}: {
  pack: VehicleProfile["pack"];
  set: (change: Change) => void;
  busy: boolean;
}) => {
  const [groups, setGroups] = useState(String(pack.groups));
  const [chemistry, setChemistry] = useState(pack.chemistry);
  const [parallel, setParallel] = useState(pack.parallel == null ? "" : String(pack.parallel));
  const [hours, setHours] = useState(figure(pack.amp_hours));
  const s = parse(groups);
  const ah = parse(hours);
  const side = parallel.trim() === "" ? null : parse(parallel);
  const whole = Number.isInteger(s) && (side === null || Number.isInteger(side)) && Number.isFinite(ah);
  const input = (label: string, value: string, change: (t: string) => void, unit: string) => (
    <label style={{ display: "flex", gap: 6, alignItems: "center" }}>
      {label}
      <Box
        component="input"
        inputMode="decimal"
        aria-label={label}
        name={`pack-${unit}`}
        value={value}
        disabled={busy}
        onChange={(e: React.ChangeEvent<HTMLInputElement>) => {
          change(e.target.value);
        }}
        sx={{ ...field, width: 76 }}
      />
    </label>
  );
  return (
    <Box data-pack sx={{ fontSize: 16, display: "grid", gap: 1 }}>
      <Box sx={{ display: "flex", gap: 1.2, alignItems: "baseline", flexWrap: "wrap" }}>
        <b style={{ fontSize: 17 }}>Pack</b>
        <span data-pack-volts>
          {figure(pack.full_volts)} V full, never under {figure(pack.floor_volts)} V
        </span>
        <span style={{ color: v("ink2"), fontSize: 15 }}>
          {pack.changed ? from(pack.source) || "not said" : `usual, ${String(pack.usual_groups)} in series`}
        </span>
      </Box>
      <Box sx={{ display: "flex", gap: 1.4, alignItems: "center", flexWrap: "wrap" }}>
        {input("In series", groups, setGroups, "series")}
        {input("Cells in parallel", parallel, setParallel, "parallel")}
        {input("Ah", hours, setHours, "hours")}
        <Box sx={{ width: 190 }}>
          <Select
            label="Chemistry"
            value={chemistry}
            onChange={setChemistry}
            options={pack.chemistries.map((c) => [c.id, c.name] as const)}
          />
        </Box>
        <Button
          disabled={busy || !whole}
          data-set-pack
          sx={{ minHeight: 44, height: 44 }}
          onClick={() => {
            set({ what: "pack", groups: s, chemistry, parallel: side, amp_hours: ah });
          }}
        >
          Set the pack
        </Button>
      </Box>
    </Box>
  );
};

/** One thing that is so on this vehicle or not: its press, and what is known of it beside. */
const Press = ({
  present,
  disabled,
  width,
  name,
  beside,
  onPress,
}: {
  present: boolean;
  disabled: boolean;
  width?: number;
  name: string;
  beside: string;
  onPress: () => void;
}) => (
  <Box sx={{ display: "flex", gap: 1, alignItems: "center" }}>
    <Button
      disabled={disabled}
      aria-pressed={present}
      onClick={onPress}
      sx={{
        minHeight: 44,
        flex: "none",
        justifyContent: "flex-start",
        textAlign: "left",
        ...(width ? { width } : {}),
        ...pressed(present),
      }}
    >
      {name}
    </Button>
    <span style={{ color: v("ink2"), fontSize: 15, lineHeight: 1.2 }}>{beside}</span>
  </Box>
);

const list = { display: "grid", gap: 0.8, fontSize: 16 } as const;

/** Ways that makers build such a vehicle otherwise: a press says that this one is built so, undo takes it back. */
const BuiltSo = ({
  built,
  set,
  busy,
}: {
  built: VehicleProfile["built"];
  set: (change: Change) => void;
  busy: boolean;
}) =>
  built.length === 0 ? null : (
    <Box sx={list}>
      <b style={{ fontSize: 17 }}>Built otherwise than the drawing</b>
      {built.map((b) => (
        <div key={b.id} data-built={b.id}>
          <Press
            present={b.present}
            disabled={busy || b.present}
            width={290}
            name={b.name}
            beside={b.present ? `${from(b.source) || "looked at"}. Undo takes it back.` : b.how}
            onPress={() => {
              set({ what: "built", variant: b.id });
            }}
          />
        </div>
      ))}
    </Box>
  );

const Altered = ({
  altered,
  set,
  busy,
}: {
  altered: VehicleProfile["alterations"];
  set: (change: Change) => void;
  busy: boolean;
}) =>
  altered.length === 0 ? null : (
    <Box sx={list}>
      <b style={{ fontSize: 17 }}>Altered since it was made</b>
      {altered.map((a) => (
        <div key={a.id} data-alteration={a.id}>
          <Press
            present={a.present}
            disabled={busy}
            name={a.name}
            beside={a.present ? from(a.source) || "not said" : ""}
            onPress={() => {
              set({ what: "alteration", id: a.id, present: !a.present });
            }}
          />
          {a.present && (
            <Box
              sx={{ display: "flex", gap: 1, alignItems: "center", py: 0.5, fontWeight: 550 }}
              data-caution
            >
              <Triangle size={16} /> {a.caution}
            </Box>
          )}
        </div>
      ))}
    </Box>
  );
