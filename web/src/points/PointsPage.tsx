import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useRef, useState } from "react";
import { useNavigate } from "react-router";
import { api, take, type JobView, type PointRow, type Unit } from "../api/client";
import { useSheets } from "../api/hooks";
import { JobLine } from "../frame/JobLine";
import { Cell, JobCell, MinutesCell, TitleBlock, Warnings } from "../frame/TitleBlock";
import { PhotoButton, Photos } from "../photos/Photos";
import { parse } from "../reading/parse";
import { useWrite } from "../repair/useWrite";
import { v } from "../theme/tokens";
import { DeadFirst } from "../ui/DeadFirst";
import { useKept } from "../ui/useKept";
import { Line, OneOf, Select } from "../ui/form";
import { ErrorLine, Heading, KeyedCard, Lock, Reading, Tick, Triangle } from "../ui/parts";
import { Table } from "../ui/Table";
import { FigureField } from "../ui/FigureField";

/** Results without a figure: words, and the keys that give them while the field is empty. */
const WITHOUT_FIGURE: readonly ["not-steady" | "nothing" | "cannot-reach", string, readonly string[]][] = [
  ["not-steady", "Not steady", ["s", "*"]],
  ["nothing", "Reads nothing", ["n", "/"]],
  ["cannot-reach", "Can’t reach", ["r", "+"]],
];
const UNITS = [
  ["volts", "V"],
  ["ohms", "Ω"],
  ["amps", "A"],
] as const;
const SIDES = [
  ["this", "This vehicle"],
  ["reference", "The working one"],
] as const;

/** The Bench of a vehicle without a wiring model: points named by hand, an identical working vehicle beside
 * it. There are no suspects, and the page says why. */
export const PointsPage = ({ job }: { job: JobView }) => {
  const go = useNavigate();
  const off = job.points.filter((p) => ["low", "high", "differs"].includes(p.verdict));
  const open = ["open", "quarantined", "dead-first"].includes(job.gate.standing);
  // a locked vehicle is measured dead first: the point that is due stands in the form
  const [picked, setPicked] = useState<string>();
  const due = job.gate.dead_first?.readings.find((r) => r.standing === "open");
  const asked = picked ?? due?.point ?? undefined;
  return (
    <Box sx={{ minHeight: "100vh", display: "flex", flexDirection: "column" }}>
      <JobLine job={job} here="bench" />
      <TitleBlock>
        <JobCell job={job} />
        <Cell width={230} caption="Working vehicle beside it">
          {job.reference ?? "none named"}
        </Cell>
        <MinutesCell job={job} />
      </TitleBlock>
      <Warnings job={job} />
      <Box
        sx={{
          p: 2,
          display: "grid",
          gridTemplateColumns: "minmax(0, 1fr) 430px",
          gap: 2.5,
          alignItems: "start",
          "@media (max-width: 900px)": { gridTemplateColumns: "minmax(0, 1fr)" },
        }}
      >
        <Box sx={{ display: "grid", gap: 2, "@media (max-width: 900px)": { order: 2 } }}>
          <Box>
            <Heading
              note={
                off.length > 0
                  ? `${String(off.length)} read differently`
                  : job.sheet != null
                    ? `from the sheet “${job.sheet}”`
                    : "named by hand"
              }
            >
              Points
            </Heading>
            <Points job={job} />
          </Box>
          <Box
            sx={{ border: `1.5px dashed ${v("ink3")}`, p: 1.6, fontSize: 16, display: "grid", gap: 0.6 }}
            data-no-suspects
          >
            <b>No suspects for this vehicle.</b>
            <span>
              They are worked out from a wiring model, and there is none for a {job.volts_class} V vehicle of
              this kind. A family is added as a data file: README, “Add a vehicle family”. What reads
              differently from an identical working one is marked here instead.
            </span>
          </Box>
          <Keep job={job} />
          <Photos job={job} photos={job.photos} />
        </Box>
        <Box sx={{ display: "grid", gap: 2, "@media (max-width: 900px)": { order: 1 } }}>
          {job.closed != null ? (
            <KeyedCard label="Closed">
              <Box sx={{ p: 2, fontSize: 18, fontWeight: 700 }}>This job is closed.</Box>
            </KeyedCard>
          ) : open ? (
            <>
              {job.gate.dead_first && (
                <DeadFirst
                  first={job.gate.dead_first}
                  onPick={(r) => {
                    setPicked(r.point ?? undefined);
                  }}
                />
              )}
              <TakePoint
                key={asked ?? ""}
                job={job}
                asked={asked}
                onTaken={() => {
                  setPicked(undefined);
                }}
              />
            </>
          ) : (
            <KeyedCard label="The gate comes first">
              <Box sx={{ p: 2.2, display: "grid", gap: 1.4, justifyItems: "start" }}>
                <Box component="h1" sx={{ m: 0, fontSize: 24, fontWeight: 750, display: "flex", gap: 1 }}>
                  <Lock /> Look at the battery first
                </Box>
                <Button variant="contained" onClick={() => void go(`/jobs/${job.id}/gate`)}>
                  To the gate
                </Button>
              </Box>
            </KeyedCard>
          )}
          {job.closed == null && <Twin job={job} />}
          {job.closed == null && off.length > 0 && (
            <Button onClick={() => void go(`/jobs/${job.id}/repair`)} data-to-repair>
              Repair what reads differently
            </Button>
          )}
        </Box>
      </Box>
    </Box>
  );
};

const VERDICT: Record<PointRow["verdict"], string> = {
  unread: "not read yet",
  "no-reference": "nothing to compare",
  "as-expected": "like the working vehicle",
  low: "low",
  high: "high",
  differs: "differs",
};

const Points = ({ job }: { job: JobView }) => (
  <Table sx={{ borderTop: `2px solid ${v("ink")}`, mt: 1, fontSize: 17, "& td": { height: 50 } }}>
    <thead>
      <tr>
        <th>Point</th>
        <th className="n">Working vehicle</th>
        <th className="n">This vehicle</th>
        <th style={{ paddingLeft: 16 }}>Result</th>
      </tr>
    </thead>
    <tbody>
      {job.points.length === 0 && (
        <tr>
          <td colSpan={4}>No points yet. Name the first one at the right.</td>
        </tr>
      )}
      {job.points.map((p) => {
        const off = ["low", "high", "differs"].includes(p.verdict);
        return (
          <Box
            component="tr"
            key={p.point + p.unit}
            data-point={p.point}
            data-verdict={p.verdict}
            sx={{ background: off ? v("copperTint") : undefined }}
          >
            <td>
              <b>{p.point}</b>
            </td>
            <td className="n">
              {p.expected != null && <Reading text={p.expected} size={19} />}
              {p.source === "unverified" && (
                <Box sx={{ fontSize: 14, color: v("ink2") }} data-unverified>
                  unverified
                </Box>
              )}
            </td>
            <td className="n">
              {p.reading != null && <Reading text={p.reading} size={19} />}
              {p.first != null && <Box sx={{ fontSize: 14, color: v("ink2") }}>first {p.first}</Box>}
            </td>
            <td style={{ paddingLeft: 16 }}>
              <Box sx={{ display: "flex", gap: 0.8, alignItems: "center", fontWeight: off ? 700 : 500 }}>
                {p.verdict === "as-expected" && <Tick />}
                {off && <Triangle />}
                {VERDICT[p.verdict]}
              </Box>
              {p.why && <Box sx={{ fontSize: 14, color: v("ink2") }}>{p.why}</Box>}
            </td>
          </Box>
        );
      })}
    </tbody>
  </Table>
);

/** Read a point: its name, the unit, on which vehicle; the figure is taken by Enter or pedal. */
const TakePoint = ({
  job,
  asked,
  onTaken,
}: {
  job: JobView;
  asked: string | undefined;
  onTaken: () => void;
}) => {
  const { write, busy, error, setError } = useWrite(job);
  const [point, setPoint] = useState(asked ?? "");
  const [unit, setUnit] = useState<Unit>(asked === undefined ? "volts" : "ohms");
  const [on, setOn] = useState<"this" | "reference">("this");
  const [typed, setTyped] = useKept(`${job.id}-point`);
  const field = useRef<HTMLInputElement>(null);
  const next = job.points.find((p) => (on === "this" ? p.reading == null : p.source !== "reference"));
  const name = point.trim() === "" ? (next?.point ?? "") : point;
  const inUnit = point.trim() === "" && next ? next.unit : unit;
  const send = (result: "figure" | "nothing" | "not-steady" | "cannot-reach") => {
    if (name.trim() === "") {
      setError("Name the point first.");
      return;
    }
    if (result === "figure") {
      const p = parse(typed, inUnit);
      if (!p.ok) {
        setError(p.sentence);
        return;
      }
    }
    write(
      [
        {
          kind: "point-reading",
          point: name.trim(),
          unit: inUnit,
          on,
          result,
          typed: result === "figure" ? typed.trim() : "",
        },
      ],
      {
        sent: [
          [typed, setTyped],
          [point, setPoint],
        ],
        done: () => {
          onTaken();
          field.current?.focus();
        },
      },
    );
  };
  return (
    <KeyedCard label="Read a point">
      <Box
        component="form"
        data-form="point"
        onSubmit={(e: React.FormEvent) => {
          e.preventDefault();
          send("figure");
        }}
        sx={{ p: 2, display: "grid", gap: 1.2 }}
      >
        <b style={{ color: v("copper"), fontSize: 16 }}>Read a point</b>
        <OneOf label="On which vehicle" value={on} options={SIDES} onPick={setOn} />
        <Box sx={{ display: "grid", gridTemplateColumns: "1fr 78px", gap: 1 }}>
          <Line
            label={next && point === "" ? `Next: ${next.point}` : "Point, in your words"}
            name="point"
            value={point}
            onChange={setPoint}
          />
          <Select
            label="Unit"
            name="unit"
            value={inUnit}
            onChange={(x) => {
              setUnit(x as Unit);
            }}
            options={UNITS}
          />
        </Box>
        <Box sx={{ display: "flex", gap: 1 }}>
          <FigureField
            label={`Reading in ${inUnit}`}
            name="reading"
            field={field}
            value={typed}
            onChange={(text) => {
              setTyped(text);
              setError(undefined);
            }}
            unit={UNITS.find((u) => u[0] === inUnit)?.[1] ?? ""}
            onKeyDown={(e) => {
              const without =
                typed === "" ? WITHOUT_FIGURE.find((w) => w[2].includes(e.key.toLowerCase())) : undefined;
              if (without === undefined || busy) return;
              e.preventDefault();
              send(without[0]);
            }}
          />
          <Button
            type="submit"
            variant="contained"
            disabled={busy}
            sx={{ minWidth: 128, fontSize: 20, fontWeight: 700, flexDirection: "column", lineHeight: 1.1 }}
            data-take
          >
            Save reading
            <span style={{ fontSize: 14, fontWeight: 500 }}>Enter or pedal</span>
          </Button>
        </Box>
        <Box sx={{ display: "flex", gap: 0.8 }}>
          {WITHOUT_FIGURE.map(([id, words, keys]) => (
            <Button
              key={id}
              type="button"
              disabled={busy}
              onClick={() => {
                send(id);
              }}
              sx={{ flex: 1, fontSize: 15, px: 0.6 }}
            >
              {words} {keys[0]?.toUpperCase()}
            </Button>
          ))}
        </Box>
        {error !== undefined && <ErrorLine>{error}</ErrorLine>}
        <Box sx={{ display: "flex", gap: 1, alignItems: "center" }}>
          <PhotoButton job={job} caption={name || "Bench"} />
          <Box sx={{ fontSize: 15, color: v("ink2") }}>A photo before a plug is pulled.</Box>
        </Box>
      </Box>
    </KeyedCard>
  );
};

/** The identical working vehicle, or a sheet kept from one. */
const Twin = ({ job }: { job: JobView }) => {
  const { write, busy, error } = useWrite(job);
  const [twin, setTwin] = useState("");
  const [find, setFind] = useState("");
  const sheets = useSheets(find);
  return (
    <Box component="section" sx={{ display: "grid", gap: 1 }}>
      <Heading>Expected values</Heading>
      <Box sx={{ borderTop: `2px solid ${v("ink")}`, pt: 1.2, display: "grid", gap: 1 }}>
        <Box
          component="form"
          onSubmit={(e: React.FormEvent) => {
            e.preventDefault();
            write([{ kind: "reference", vehicle: twin.trim() }], { sent: [[twin, setTwin]] });
          }}
          sx={{ display: "flex", gap: 1 }}
        >
          <Line
            label={job.reference == null ? "Identical working vehicle: which one" : "Another working vehicle"}
            name="twin"
            value={twin}
            onChange={setTwin}
          />
          <Button type="submit" disabled={busy || twin.trim() === ""} data-twin sx={{ flex: "none" }}>
            Compare with it
          </Button>
        </Box>
        {(sheets.data ?? []).length > 0 || find !== "" ? (
          <>
            <Line label="or a sheet kept from one" name="sheet" value={find} onChange={setFind} />
            {(sheets.data ?? []).slice(0, 4).map((s) => (
              <Button
                key={s.id}
                disabled={busy || job.sheet === s.name}
                onClick={() => {
                  write([{ kind: "sheet", sheet: s.id, name: s.name, points: s.points }]);
                }}
                data-use-sheet={s.name}
                sx={{ justifyContent: "space-between", fontSize: 16 }}
              >
                <span>{s.name}</span>
                <span>{s.points.length} points, unverified</span>
              </Button>
            ))}
          </>
        ) : null}
        {error !== undefined && <ErrorLine>{error}</ErrorLine>}
      </Box>
    </Box>
  );
};

/** Keep points and expected values for the next such vehicle. */
const Keep = ({ job }: { job: JobView }) => {
  const [name, setName] = useState(job.vehicle);
  const [said, setSaid] = useState<{ good: boolean; text: string }>();
  const measured = job.points.filter((p) => p.source === "reference").length;
  if (measured === 0) return null;
  const keep = async () => {
    try {
      const sheet = await take(
        api.POST("/jobs/{id}/sheet", {
          params: { path: { id: job.id } },
          body: { id: crypto.randomUUID(), name },
        }),
      );
      setSaid({ good: true, text: `Kept with ${String(sheet.points.length)} points` });
    } catch (x) {
      setSaid({ good: false, text: x instanceof Error ? x.message : String(x) });
    }
  };
  return (
    <Box
      component="form"
      onSubmit={(e: React.FormEvent) => {
        e.preventDefault();
        void keep();
      }}
      sx={{ display: "flex", gap: 1, alignItems: "center" }}
    >
      <Line
        label={`Keep the ${String(measured)} points of the working one as a sheet`}
        name="keep-sheet"
        value={name}
        onChange={setName}
      />
      <Button type="submit" disabled={name.trim() === ""} data-keep-points sx={{ flex: "none" }}>
        Keep the sheet
      </Button>
      {said &&
        (said.good ? (
          <Box sx={{ display: "flex", gap: 0.5, whiteSpace: "nowrap" }} role="status">
            <Tick /> {said.text}
          </Box>
        ) : (
          <ErrorLine>{said.text}</ErrorLine>
        ))}
    </Box>
  );
};
