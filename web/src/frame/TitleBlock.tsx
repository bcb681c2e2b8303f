import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useEffect, useState, type ReactNode } from "react";
import { useLocation, useNavigate } from "react-router";
import type { JobView, VehicleState } from "../api/client";
import { useAppend, useForecast } from "../api/hooks";
import { v } from "../theme/tokens";
import { OutboxCell } from "../outbox/OutboxCell";
import { minutes, money, number4 } from "../ui/format";
import { useCommands } from "../ui/commands";
import { pressed } from "../ui/form";
import { KEYS, command } from "../ui/keys";
import { ErrorLine } from "../ui/parts";
import { isProved } from "../proof/standing";

/** Cells divided by lines, as on a drawing. */
export const TitleBlock = ({ children }: { children: ReactNode }) => (
  <Box
    sx={{
      minHeight: 60,
      display: "flex",
      borderBottom: `1.5px solid ${v("ink")}`,
      flex: "none",
      "@media (max-width: 900px)": { flexWrap: "wrap", "& > *": { minHeight: 60 } },
    }}
  >
    {children}
    <OutboxCell />
  </Box>
);

export const Cell = ({
  caption,
  children,
  before,
  grow = 0,
  width,
}: {
  caption?: ReactNode;
  children: ReactNode;
  /** A press before the words. */
  before?: ReactNode;
  grow?: number;
  width?: number;
}) => (
  <Box
    sx={{
      flex: `${String(grow)} 1 ${width === undefined ? "auto" : `${String(width)}px`}`,
      minWidth: 0,
      px: before === undefined ? 2 : 1.2,
      py: 0.6,
      borderRight: `1px solid ${v("ruleStrong")}`,
      "&:last-child": { borderRight: 0 },
      display: "flex",
      gap: 1.2,
      alignItems: "center",
    }}
  >
    {before}
    <Box sx={{ minWidth: 0 }}>
      {caption !== undefined && (
        <Box
          sx={{
            fontSize: 13,
            color: v("ink2"),
            whiteSpace: "nowrap",
            overflow: "hidden",
            textOverflow: "ellipsis",
          }}
        >
          {caption}
        </Box>
      )}
      <Box
        sx={{
          fontSize: 19,
          fontWeight: 650,
          whiteSpace: "nowrap",
          overflow: "hidden",
          textOverflow: "ellipsis",
        }}
      >
        {children}
      </Box>
    </Box>
  </Box>
);

/** Which job, and the way to what its vehicle has that its kind usually does not. */
export const JobCell = ({ job }: { job: JobView }) => (
  <>
    <Cell grow={1} width={260} caption={`Job ${number4(job.number)} · ${job.vehicle || "vehicle not named"}`}>
      “{job.words}”
    </Cell>
    {job.bench != null && <VehicleButton job={job} />}
  </>
);

const VehicleButton = ({ job }: { job: JobView }) => {
  const go = useNavigate();
  const there = useLocation().pathname.endsWith("/vehicle");
  const n = job.changes.length;
  return (
    <Box sx={{ display: "flex", alignItems: "center", px: 1, borderRight: `1px solid ${v("ruleStrong")}` }}>
      <Button
        onClick={() => void go(`/jobs/${job.id}/vehicle`)}
        aria-current={there ? "page" : undefined}
        data-to-vehicle
        sx={{
          minHeight: 48,
          height: 48,
          px: 1.2,
          flexDirection: "column",
          alignItems: "flex-start",
          gap: 0,
          ...pressed(there),
        }}
      >
        <Box component="span" sx={{ fontSize: 13, fontWeight: 500, lineHeight: 1.2 }}>
          Vehicle
        </Box>
        <Box component="span" sx={{ fontSize: 16, lineHeight: 1.2, whiteSpace: "nowrap" }}>
          {n === 0 ? "as built" : `${String(n)} changed`}
        </Box>
      </Button>
    </Box>
  );
};

/** Minutes spent, by the clock where one runs, and what is left by the suspects. */
export const MinutesCell = ({ job }: { job: JobView }) => {
  const forecast = useForecast(job);
  // an estimate at once; the job played on from here when it has arrived for this very reading
  const played = forecast.data?.head === job.head ? forecast.data.minutes : undefined;
  const [low, mid, high] = played ?? job.bench?.minutes_to_go ?? [];
  const spent = useMinutes(job);
  return (
    <Cell
      width={310}
      before={job.closed == null ? <ClockButton job={job} /> : undefined}
      caption={
        job.clock.since != null
          ? "Clock runs: minutes spent, to go"
          : job.clock.others.length > 0
            ? `${job.clock.others.join(", ")}: clock runs`
            : isProved(job)
              ? "Minutes spent"
              : "Minutes spent, minutes to go"
      }
    >
      {minutes(spent)}
      <Small> spent </Small>
      {job.bench && job.closed == null && !isProved(job) ? (
        <span data-forecast={played ? job.head : undefined}>
          {played ? "" : "≈ "}
          {minutes(mid ?? 0)}
          <Small>
            {" "}
            to go ({minutes(low ?? 0)}–{minutes(high ?? 0)})
          </Small>
        </span>
      ) : null}
    </Cell>
  );
};

/** The present person's clock on this job: what it counts is billed, and can be corrected with a reason. */
const ClockButton = ({ job }: { job: JobView }) => {
  const append = useAppend(job);
  const runs = job.clock.since != null;
  const turn = () => {
    append.mutate([{ kind: "clock", run: !runs }]);
  };
  const name = runs ? "Pause the clock" : "Start the clock";
  useCommands([command("job.clock", append.isPending ? undefined : turn, name)]);
  return (
    <Button
      onClick={turn}
      disabled={append.isPending}
      aria-label={name}
      title={`${name} (${KEYS["job.clock"].keys[0]})`}
      data-clock={runs ? "runs" : "stands"}
      sx={{ minHeight: 44, height: 44, minWidth: 44, width: 44, p: 0, flex: "none", ...pressed(runs) }}
    >
      <svg width="20" height="20" viewBox="0 0 20 20" aria-hidden="true">
        <path d={runs ? "M4 3h4v14H4zM12 3h4v14h-4z" : "M5 2l13 8-13 8z"} fill="currentColor" />
      </svg>
    </Button>
  );
};

/** Minutes spent now: the server's figure, and what has passed since on every clock that runs. */
export const useMinutes = (job: JobView): number => {
  const running = (job.clock.since != null ? 1 : 0) + job.clock.others.length;
  const [at, setAt] = useState(() => performance.now());
  const [now, setNow] = useState(at);
  const [of, setOf] = useState(job);
  if (of !== job) {
    setOf(job);
    setAt(performance.now());
    setNow(performance.now());
  }
  useEffect(() => {
    if (running === 0) return undefined;
    const t = setInterval(() => {
      setNow(performance.now());
    }, 1000);
    return () => {
      clearInterval(t);
    };
  }, [running]);
  return job.clock.minutes + (running * Math.max(0, now - at)) / 60_000;
};

/** The bill as it stands against the agreed limit; what it may come to where the suspects say. */
export const MoneyCell = ({ job }: { job: JobView }) => {
  const total = job.money.sum.total_cents;
  const limit = job.limit_cents ?? undefined;
  const likely = job.money.forecast_cents?.[1];
  const most = Math.max(total, limit ?? 0, likely ?? 0, 1);
  return (
    <Cell
      width={300}
      caption={`Total with tax${limit === undefined ? "" : `, agreed limit ${money(limit)}`}`}
    >
      <Box component="span" sx={{ display: "flex", gap: 1.2, alignItems: "center" }}>
        <span data-total={total}>{money(total)}</span>
        {limit !== undefined && (
          <svg width="120" height="16" aria-hidden="true">
            <rect x="1" y="3" width="118" height="10" fill="none" stroke={v("ink")} strokeWidth="1.5" />
            <rect x="1" y="3" width={(118 * total) / most} height="10" fill={v("ink")} />
            <path d={`M${String((118 * limit) / most)} 0v16`} stroke={v("ink")} strokeWidth="3" />
          </svg>
        )}
        {likely !== undefined && likely > total && !isProved(job) && <Small>likely {money(likely)}</Small>}
      </Box>
    </Cell>
  );
};

/** Limit of money and stop-loss, when they are passed or about to be. */
export const Warnings = ({ job }: { job: JobView }) =>
  job.money.warnings.length === 0 ? null : (
    <Box sx={{ px: 2, pt: 1, display: "grid", gap: 0.5 }} data-warnings>
      {job.money.warnings.map((w) => (
        <ErrorLine key={w}>{w}</ErrorLine>
      ))}
    </Box>
  );

export const Small = ({ children }: { children: ReactNode }) => (
  <Box component="span" sx={{ fontSize: 15, fontWeight: 500, color: v("ink2") }}>
    {children}
  </Box>
);

interface Toggle {
  field: "battery" | "key" | "wheel";
  key: string;
  name: string;
  word: string;
  icon: ReactNode;
  next: Partial<VehicleState>;
}

const apartWithout = (apart: string[] | undefined, dock: boolean): string[] => {
  const rest = (apart ?? []).filter((p) => p !== "dock");
  return dock ? [...rest, "dock"] : rest;
};

/** Vehicle state as three buttons; pressing one tells the log that it stands differently now. */
export const StateButtons = ({
  job,
  onState,
  disabled,
}: {
  job: JobView;
  onState: (s: VehicleState) => void;
  disabled: boolean;
}) => {
  const s = job.state;
  const batteryIn = s.battery === "in";
  const wheelUp = s.wheel !== "ground";
  const toggles: Toggle[] = [
    {
      field: "battery",
      key: "F1",
      name: "Battery",
      word: batteryIn ? "in" : "out",
      icon: <BatteryIcon inside={batteryIn} />,
      next: batteryIn
        ? { battery: "out", key: "off", apart: apartWithout(s.apart, true) }
        : { battery: "in", apart: apartWithout(s.apart, false) },
    },
    {
      field: "key",
      key: "F2",
      name: job.switch_name,
      word: s.key === "on" ? "on" : "off",
      icon: <KeyIcon />,
      next: { key: s.key === "on" ? "off" : "on" },
    },
    {
      field: "wheel",
      key: "F3",
      name: "Wheel",
      word: wheelUp ? "lifted" : "on ground",
      icon: <WheelIcon lifted={wheelUp} />,
      next: { wheel: wheelUp ? "ground" : "lifted" },
    },
  ];
  const apart = (s.apart ?? []).filter((p) => p !== "dock");
  return (
    <Box
      sx={{
        display: "flex",
        gap: 1,
        alignItems: "center",
        px: 1.2,
        borderRight: `1px solid ${v("ruleStrong")}`,
        flex: "none",
      }}
    >
      {toggles.map((t) => (
        <Box
          key={t.field}
          component="button"
          type="button"
          disabled={disabled}
          onClick={() => {
            onState({ ...s, ...t.next });
          }}
          aria-label={`${t.name} ${t.word}. Press to change.`}
          sx={{
            font: "inherit",
            height: 48,
            px: 1,
            minWidth: 96,
            display: "flex",
            gap: 0.8,
            alignItems: "center",
            textAlign: "left",
            background: v("sheet"),
            color: v("ink"),
            border: `1.5px solid ${v("ink")}`,
            borderRadius: "3px",
            cursor: "pointer",
          }}
        >
          {t.icon}
          <span>
            <Box component="span" sx={{ display: "block", fontSize: 13, color: v("ink2"), lineHeight: 1.1 }}>
              {t.name}{" "}
            </Box>
            <Box
              component="span"
              sx={{ display: "block", fontSize: 17, fontWeight: 700, lineHeight: 1.15, whiteSpace: "nowrap" }}
            >
              {t.word}
            </Box>
          </span>
        </Box>
      ))}
      <Box sx={{ fontSize: 14, lineHeight: 1.2, minWidth: 74, maxWidth: 120 }} data-plugs>
        <Box sx={{ fontSize: 13, color: v("ink2") }}>Plugs</Box>
        <b>{apart.length === 0 ? "joined" : `${String(apart.length)} apart`}</b>
      </Box>
    </Box>
  );
};

const line = { fill: "none", stroke: "currentColor", strokeWidth: 2.4, strokeLinecap: "square" } as const;
const BatteryIcon = ({ inside }: { inside: boolean }) => (
  <svg width="28" height="28" viewBox="0 0 28 28" aria-hidden="true" {...line}>
    <path d={inside ? "M3 8h19v12H3zM25 12v4" : "M3 8h12v12H3zM21 5h4v18h-4"} />
    <path d={inside ? "M8 12v4M12 12v4M16 12v4" : "M7 12v4M11 12v4"} />
  </svg>
);
const KeyIcon = () => (
  <svg width="28" height="28" viewBox="0 0 28 28" aria-hidden="true" {...line}>
    <circle cx="8" cy="14" r="4.6" />
    <path d="M13 14h12v5M20 14v4" />
  </svg>
);
const WheelIcon = ({ lifted }: { lifted: boolean }) => (
  <svg width="28" height="28" viewBox="0 0 28 28" aria-hidden="true" {...line}>
    <circle cx="14" cy={lifted ? 11 : 14} r="8" />
    <circle cx="14" cy={lifted ? 11 : 14} r="2" />
    <path d={lifted ? "M3 26h22M14 20v4" : "M3 24h22"} />
  </svg>
);
