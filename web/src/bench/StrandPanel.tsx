import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useEffect, useRef, useState } from "react";
import type { Change, JobView, KnownFrom, MapStrand } from "../api/client";
import { useChoices } from "../api/hooks";
import { insulation, v } from "../theme/tokens";
import { ErrorLine, Heading, Tick } from "../ui/parts";
import { SOURCES } from "../vehicle/sources";
import { Plain } from "../ui/form";

interface Props {
  job: JobView;
  strand: MapStrand;
  busy: boolean;
  error?: string;
  onTest: (test: string) => void;
  onChange: (change: Change, source: KnownFrom) => void;
  /** To the strand before or after this one. */
  onWalk: (by: 1 | -1) => void;
  onClose: () => void;
}

const WireSwatch = ({ code }: { code: string }) => {
  const [base = "??", stripe] = code.split("/");
  return (
    <svg width="64" height="16" aria-hidden="true">
      <rect
        x="0"
        y="2"
        width="64"
        height="12"
        fill={insulation[base] ?? insulation.GY}
        stroke={v("casing")}
        strokeWidth="1.4"
      />
      {stripe !== undefined && (
        <path d="M8 8h56" stroke={insulation[stripe]} strokeWidth="10" strokeDasharray="8 12" />
      )}
      {base === "??" && <path d="M0 8h64" stroke={v("ink")} strokeWidth="2" />}
    </svg>
  );
};

/** A strand at work size: every wire with code, pin, function, what it should read now, its last reading,
 * its tests; and “not like this here”. */
export const StrandPanel = ({ job, strand, busy, error, onTest, onChange, onWalk, onClose }: Props) => {
  const [editing, setEditing] = useState(false);
  const panel = useRef<HTMLDivElement>(null);
  const pins = () => [...(panel.current?.querySelectorAll<HTMLButtonElement>("[data-pin]") ?? [])];
  useEffect(() => {
    pins()[0]?.focus({ preventScroll: true });
  }, [strand.id]);
  // up and down from point to point, left and right from strand to strand
  const walk = (e: React.KeyboardEvent) => {
    if (e.key === "Escape") onClose();
    const on = e.target as HTMLElement;
    if (!on.hasAttribute("data-pin")) return;
    const all = pins();
    const at = all.findIndex((b) => b === on);
    const to = { ArrowDown: at + 1, ArrowUp: at - 1 }[e.key];
    if (to !== undefined) {
      e.preventDefault();
      all[to]?.focus();
    }
    if (e.key === "ArrowRight" || e.key === "ArrowLeft") {
      e.preventDefault();
      onWalk(e.key === "ArrowRight" ? 1 : -1);
    }
  };
  return (
    <Box
      ref={panel}
      onKeyDown={walk}
      sx={{
        position: "absolute",
        inset: 0,
        background: v("paper"),
        zIndex: 3,
        overflowY: "auto",
        p: 2,
        borderBottom: `1.5px solid ${v("ink")}`,
      }}
      role="dialog"
      aria-label={`${strand.name}, wires`}
      data-strand-panel={strand.id}
    >
      <Box sx={{ display: "flex", alignItems: "center", gap: 1.5, mb: 1 }}>
        <Heading
          note={`${strand.plug_name}, ${strand.apart ? "apart" : "joined"}; volts against pin ${String(strand.reference)} as it stands now`}
        >
          {strand.name}
        </Heading>
        <Box sx={{ flex: 1 }} />
        <Button
          onClick={() => {
            setEditing(!editing);
          }}
          disabled={job.closed != null}
          data-not-like-this
        >
          Not like this here
        </Button>
        <Button onClick={onClose} data-close-strand>
          Back to all wires
        </Button>
      </Box>
      {error !== undefined && <ErrorLine>{error}</ErrorLine>}
      {editing && <ChangeForm strand={strand} busy={busy} onChange={onChange} />}
      <Box
        component="table"
        sx={{
          borderCollapse: "collapse",
          width: "100%",
          fontSize: 16,
          "& td, & th": {
            borderBottom: `1px solid ${v("ruleStrong")}`,
            py: 0.5,
            px: 1,
            textAlign: "left",
            verticalAlign: "middle",
          },
          "& th": { fontSize: 14, fontWeight: 600, color: v("ink2") },
        }}
      >
        <thead>
          <tr>
            <th>Pin</th>
            <th>Wire</th>
            <th>Carries</th>
            <th style={{ textAlign: "right" }}>Should read now</th>
            <th style={{ textAlign: "right" }}>Last read</th>
            <th>Measure</th>
          </tr>
        </thead>
        <tbody>
          {strand.wires.map((w) => (
            <tr key={w.pin} data-wire={w.pin}>
              <td>
                <Box
                  component="button"
                  type="button"
                  data-pin={w.pin}
                  aria-label={`Pin ${String(w.pin)}, ${w.function}: ${w.pin === strand.reference ? "reference" : `should read ${w.now} now`}`}
                  onClick={(e: React.MouseEvent) => {
                    (e.currentTarget as HTMLElement).closest("tr")?.querySelector("select")?.focus();
                  }}
                  sx={{
                    font: "inherit",
                    fontSize: 20,
                    fontWeight: 700,
                    color: v("ink"),
                    background: "transparent",
                    border: 0,
                    minWidth: 44,
                    minHeight: 44,
                    cursor: "pointer",
                  }}
                >
                  {w.pin}
                </Box>
              </td>
              <td>
                <Box sx={{ display: "flex", gap: 1, alignItems: "center" }}>
                  <WireSwatch code={w.code} /> <b>{w.code === "??" ? "colour not noted" : w.code}</b>
                </Box>
              </td>
              <td>{w.function}</td>
              <td style={{ textAlign: "right", fontWeight: 700 }} data-now>
                {w.pin === strand.reference ? "reference" : w.now}
              </td>
              <td style={{ textAlign: "right" }}>
                {w.measured ?? ""} {w.mark === "expected" && <Tick size={15} />}
              </td>
              <td>
                <Box
                  component="select"
                  aria-label={`Measure at pin ${String(w.pin)}`}
                  value=""
                  onChange={(e: React.ChangeEvent<HTMLSelectElement>) => {
                    if (e.target.value) onTest(e.target.value);
                  }}
                  sx={{
                    font: "inherit",
                    fontSize: 15.5,
                    height: 44,
                    maxWidth: 320,
                    width: "100%",
                    border: `1.5px solid ${v("ink")}`,
                    borderRadius: "3px",
                    background: v("sheet"),
                    color: v("ink"),
                  }}
                >
                  <option value="">{w.tests.length} tests …</option>
                  {w.tests.map((t) => (
                    <option key={t.test} value={t.test}>
                      {t.done ? "done: " : ""}
                      {t.name}
                    </option>
                  ))}
                </Box>
              </td>
            </tr>
          ))}
        </tbody>
      </Box>
    </Box>
  );
};

const ChangeForm = ({
  strand,
  busy,
  onChange,
}: {
  strand: MapStrand;
  busy: boolean;
  onChange: (c: Change, source: KnownFrom) => void;
}) => {
  const [source, setSource] = useState<KnownFrom>("measured");
  const [order, setOrder] = useState("");
  const here = strand.wires.map((w) => w.pin);
  const moved = order
    .split(/[^0-9]+/)
    .filter(Boolean)
    .map(Number);
  const tell = (change: Change) => {
    onChange(change, source);
  };
  const choices = useChoices();
  const [pin, setPin] = useState(strand.wires[0]?.pin ?? 1);
  const [code, setCode] = useState("BU");
  const [stripe, setStripe] = useState("");
  const [carries, setCarries] = useState("not known");
  const [volts, setVolts] = useState("3.3");
  const [plugName, setPlugName] = useState(strand.plug_name);
  const [pins, setPins] = useState(String(Math.max(...strand.wires.map((w) => w.pin))));
  const [face, setFace] = useState("round");
  const colours = [...(choices.data?.colours ?? []), "??"];
  const colour = stripe && code !== "??" ? `${code}/${stripe}` : code;
  const box = {
    font: "inherit",
    fontSize: 16,
    height: 44,
    border: `1.5px solid ${v("ink")}`,
    borderRadius: "3px",
    background: v("sheet"),
    color: v("ink"),
    px: 0.8,
  };
  const brake = strand.id.startsWith("brake");
  const pulls = brake ? "brakes" : strand.id === "halls" ? "halls" : undefined;
  const row = { display: "flex", gap: 1, alignItems: "center", flexWrap: "wrap", fontSize: 16 } as const;
  const picker = (
    <>
      <Box
        component="select"
        aria-label="Colour"
        value={code}
        onChange={(e: React.ChangeEvent<HTMLSelectElement>) => {
          setCode(e.target.value);
        }}
        sx={box}
      >
        {colours.map((c) => (
          <option key={c}>{c}</option>
        ))}
      </Box>
      <Box
        component="select"
        aria-label="Stripe"
        value={stripe}
        onChange={(e: React.ChangeEvent<HTMLSelectElement>) => {
          setStripe(e.target.value);
        }}
        sx={box}
      >
        <option value="">no stripe</option>
        {(choices.data?.colours ?? []).map((c) => (
          <option key={c}>{c}</option>
        ))}
      </Box>
    </>
  );
  return (
    <Box
      sx={{
        border: `1.5px solid ${v("ink")}`,
        background: v("sheet"),
        p: 1.5,
        mb: 1.5,
        display: "grid",
        gap: 1,
      }}
    >
      <Box sx={{ ...row, justifyContent: "space-between" }}>
        <Box sx={{ fontSize: 15.5 }}>Readings stay; what they are compared with follows the vehicle.</Box>
        <label>
          Known from{" "}
          <Box
            component="select"
            name="known-from"
            value={source}
            onChange={(e: React.ChangeEvent<HTMLSelectElement>) => {
              setSource(e.target.value as KnownFrom);
            }}
            sx={box}
          >
            {SOURCES.map(([id, words]) => (
              <option key={id} value={id}>
                {words}
              </option>
            ))}
          </Box>
        </label>
      </Box>
      <Box sx={row}>
        <b>Colour</b> of pin
        <Box
          component="select"
          aria-label="Pin"
          value={pin}
          onChange={(e: React.ChangeEvent<HTMLSelectElement>) => {
            setPin(Number(e.target.value));
          }}
          sx={box}
        >
          {strand.wires.map((w) => (
            <option key={w.pin}>{w.pin}</option>
          ))}
        </Box>
        is {picker}
        <Button
          disabled={busy}
          onClick={() => {
            tell({ what: "colour", strand: strand.id, pin, code: colour });
          }}
        >
          Set the colour
        </Button>
        <Plain label="It carries" value={carries} onChange={setCarries} sx={{ width: 150, px: 0.8 }} />
        <Button
          disabled={busy || carries.trim() === ""}
          onClick={() => {
            tell({ what: "extra-wire", strand: strand.id, code: colour, function: carries.trim() });
          }}
        >
          Add a wire
        </Button>
      </Box>
      <Box sx={row}>
        {brake && (
          <Button
            disabled={busy}
            onClick={() => {
              tell({ what: "normally-closed-brake", strand: strand.id });
            }}
            data-normally-closed
          >
            Opens when squeezed (normally closed)
          </Button>
        )}
        {pulls !== undefined && (
          <>
            <b>Pulled up to</b>
            <Plain label="Pull-up volts" value={volts} onChange={setVolts} sx={{ width: 70, px: 0.8 }} /> V
            <Button
              disabled={busy || !Number.isFinite(Number(volts.replace(",", ".")))}
              onClick={() => {
                tell({ what: "pull-up", lines: pulls, volts: Number(volts.replace(",", ".")) });
              }}
              data-pull-up
            >
              Set the pull-up
            </Button>
          </>
        )}
      </Box>
      <Box sx={row} data-order-of-pins>
        <b>Other pins</b> the wires now on {here.join(", ")} sit on
        <Plain
          label="New pins, in the order of the present ones"
          hint={[...here].reverse().join(" ")}
          value={order}
          onChange={setOrder}
          sx={{ width: 150, px: 0.8 }}
        />
        <Button
          disabled={busy || moved.length !== here.length}
          onClick={() => {
            tell({ what: "order", strand: strand.id, pins: moved });
          }}
          data-set-order
        >
          Set the pins
        </Button>
      </Box>
      <Box sx={row}>
        <b>Another plug</b>
        <Plain label="Plug name" value={plugName} onChange={setPlugName} sx={{ width: 190, px: 0.8 }} />
        <Plain label="Pins" value={pins} onChange={setPins} sx={{ width: 60, px: 0.8 }} /> pins
        <Box
          component="select"
          aria-label="Face"
          value={face}
          onChange={(e: React.ChangeEvent<HTMLSelectElement>) => {
            setFace(e.target.value);
          }}
          sx={box}
        >
          <option>round</option>
          <option>flat</option>
        </Box>
        <Button
          disabled={busy || !/^\d+$/.test(pins) || plugName.trim() === ""}
          onClick={() => {
            tell({ what: "plug", plug: strand.plug, name: plugName.trim(), pins: Number(pins), face });
          }}
        >
          Set the plug
        </Button>
      </Box>
    </Box>
  );
};
