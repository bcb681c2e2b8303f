import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useEffect, useRef, useState } from "react";
import type { Change, JobView, KnownFrom, MapStrand } from "../api/client";
import { insulation, v } from "../theme/tokens";
import { ErrorLine, Heading, Tick } from "../ui/parts";
import { Select } from "../ui/form";
import { Table } from "../ui/Table";
import { PlugEditor } from "./PlugEditor";
import { PlugFace } from "./PlugFace";

interface Props {
  job: JobView;
  strand: MapStrand;
  busy: boolean;
  error?: string;
  onTest: (test: string) => void;
  onChange: (change: Change, source: KnownFrom) => void;
  /** Strike out a change. */
  onTakeBack: (entry: string) => void;
  /** To the strand before or after this one. */
  onWalk: (by: 1 | -1) => void;
  onClose: () => void;
}

/** Width of the plug's face, px. */
const FACE = 300;

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
 * its tests, beside the face of its plug; and “not like this here”. */
export const StrandPanel = ({
  job,
  strand,
  busy,
  error,
  onTest,
  onChange,
  onTakeBack,
  onWalk,
  onClose,
}: Props) => {
  const [editing, setEditing] = useState(false);
  const [picked, setPicked] = useState(strand.wires[0]?.pin ?? 1);
  const panel = useRef<HTMLDivElement>(null);
  const pins = () => [...(panel.current?.querySelectorAll<HTMLButtonElement>("[data-pin]") ?? [])];
  useEffect(() => {
    pins()[0]?.focus({ preventScroll: true });
  }, [strand.id]);
  // up and down from point to point, left and right from strand to strand
  const walk = (e: React.KeyboardEvent) => {
    if (e.key === "Escape" && !editing) onClose();
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
        // over all but the job line and the title block; on a tablet upright over all
        position: "fixed",
        inset: "112px 0 0 0",
        "@media (max-width: 900px)": { inset: 0 },
        background: v("paper"),
        zIndex: 5,
        overflowY: "auto",
        p: 2,
      }}
      role="dialog"
      aria-label={`${strand.name}, wires`}
      data-strand-panel={strand.id}
    >
      {editing ? (
        <PlugEditor
          job={job}
          strand={strand}
          busy={busy}
          error={error}
          onChange={onChange}
          onTakeBack={onTakeBack}
          onDone={() => {
            setEditing(false);
          }}
        />
      ) : (
        <>
          <Box sx={{ display: "flex", alignItems: "center", gap: 1.5, mb: 1 }}>
            <Heading
              note={`${strand.plug_name}, ${strand.apart ? "apart" : "joined"}; volts against pin ${String(strand.reference)} as it stands now`}
            >
              {strand.name}
            </Heading>
            <Box sx={{ flex: 1 }} />
            <Button
              onClick={() => {
                setEditing(true);
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
          <Box
            sx={{
              display: "grid",
              gridTemplateColumns: `minmax(0, 1fr) ${String(FACE)}px`,
              gap: 3,
              alignItems: "start",
              "@media (max-width: 900px)": { gridTemplateColumns: "minmax(0, 1fr)" },
            }}
          >
            <Table>
              <thead>
                <tr>
                  <th>Pin</th>
                  <th>Wire</th>
                  <th>Carries</th>
                  <th className="n">Should read now</th>
                  <th className="n">Last read</th>
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
                        onFocus={() => {
                          setPicked(w.pin);
                        }}
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
                        {w.lead_code != null && (
                          <>
                            <span>to</span> <WireSwatch code={w.lead_code} /> <b>{w.lead_code}</b>
                          </>
                        )}
                      </Box>
                    </td>
                    <td>{w.function}</td>
                    <td className="n" style={{ fontWeight: 700 }} data-now>
                      {w.pin === strand.reference ? "reference" : w.now}
                    </td>
                    <td className="n">
                      {w.measured ?? ""} {w.mark === "expected" && <Tick size={15} />}
                    </td>
                    <td>
                      <Select
                        label={`Measure at pin ${String(w.pin)}`}
                        value=""
                        onChange={(test) => {
                          if (test) onTest(test);
                        }}
                        empty={`${String(w.tests.length)} tests …`}
                        options={w.tests.map((t) => [t.test, `${t.done ? "done: " : ""}${t.name}`] as const)}
                      />
                    </td>
                  </tr>
                ))}
              </tbody>
            </Table>
            <Box component="figure" sx={{ m: 0, mt: 1.5, justifySelf: "center" }}>
              <PlugFace
                strand={strand}
                picked={picked}
                moving={false}
                size={FACE}
                onPick={(pin) => {
                  panel.current?.querySelector<HTMLElement>(`[data-pin="${String(pin)}"]`)?.focus();
                }}
              />
              <Box component="figcaption" sx={{ fontSize: 14, color: v("ink2"), textAlign: "center" }}>
                {strand.plug_name}, looking into the pins; left the harness half, right the device half
              </Box>
            </Box>
          </Box>
        </>
      )}
    </Box>
  );
};
