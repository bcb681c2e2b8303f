import Box from "@mui/material/Box";
import type { Change, Slot, VehicleProfile } from "../api/client";
import { NOWHERE, leads } from "../has/joins";
import { from } from "../has/sources";
import { insulation, v } from "../theme/tokens";
import { Select } from "../ui/form";
import { Table } from "../ui/Table";
import { figure } from "./Figures";

/**
 * The open component: what its label says, and pin by pin where its wires lead. A wire that leads elsewhere than to what it
 * carries is drawn so, and weighed so.
 */
export const Joins = ({
  slot,
  profile,
  closed,
  onSet,
}: {
  slot: Slot;
  profile: VehicleProfile;
  closed: boolean;
  onSet: (change: Change) => void;
}) => {
  const figures = profile.figures.filter((f) => slot.figures.includes(f.id));
  if (figures.length === 0 && slot.joins.length === 0) return null;
  return (
    <Box
      sx={{
        display: "grid",
        gridTemplateColumns: "minmax(0, 1fr) minmax(0, 1.6fr)",
        gap: 2.5,
        mt: 1.2,
        alignItems: "start",
        "@media (max-width: 900px)": { gridTemplateColumns: "minmax(0, 1fr)" },
      }}
      data-joins={slot.slot}
    >
      <Table>
        <caption>Figures</caption>
        <tbody>
          {figures.map((f) => (
            <tr key={f.id}>
              <td>{f.name}</td>
              <td className="n">
                <b>{figure(f.value)}</b> {f.unit}
              </td>
              <td>{f.changed ? from(f.source) : "assumed"}</td>
            </tr>
          ))}
          {figures.length === 0 && (
            <tr>
              <td>No figure of its own.</td>
            </tr>
          )}
        </tbody>
      </Table>
      {slot.joins.length > 0 && (
        <Table>
          <caption>Plugs and joins</caption>
          <thead>
            <tr>
              <th>Plug</th>
              <th className="n">Pin</th>
              <th>Colour</th>
              <th>Carries</th>
              <th>Leads to</th>
            </tr>
          </thead>
          <tbody>
            {slot.joins.map((j) => (
              <tr key={`${j.strand}.${String(j.pin)}`} data-join={`${j.strand}.${String(j.pin)}`}>
                <td>{j.plug}</td>
                <td className="n">{j.pin}</td>
                <td>
                  <Box sx={{ display: "flex", gap: 0.7, alignItems: "center" }}>
                    <Colour code={j.code} />
                    <span>{j.code}</span>
                    {j.lead_code != null && (
                      <>
                        <span>to</span> <Colour code={j.lead_code} />
                        <span>{j.lead_code}</span>
                      </>
                    )}
                  </Box>
                </td>
                <td>{j.function}</td>
                <td
                  data-changed={j.changed ? true : undefined}
                  style={j.changed ? { outline: `4px double ${v("ink")}` } : undefined}
                >
                  <Select
                    label={`${j.plug}, pin ${String(j.pin)} leads to`}
                    disabled={closed}
                    value={j.to ?? NOWHERE}
                    onChange={(to) => {
                      onSet({ what: "join", strand: j.strand, pin: j.pin, to: to === NOWHERE ? null : to });
                    }}
                    empty="nowhere"
                    options={leads(j)}
                  />
                </td>
              </tr>
            ))}
          </tbody>
        </Table>
      )}
    </Box>
  );
};

/** A wire's colours as a square, the stripe as a ring. */
const Colour = ({ code }: { code: string }) => {
  const [base, stripe] = code.split("/");
  return (
    <svg width="20" height="20" viewBox="0 0 20 20" aria-hidden="true" style={{ flex: "none" }}>
      <rect
        x="1"
        y="1"
        width="18"
        height="18"
        fill={insulation[base ?? ""] ?? v("well")}
        stroke={v("ink")}
        strokeWidth="1.5"
      />
      {stripe !== undefined && (
        <circle
          cx="10"
          cy="10"
          r="5"
          fill="none"
          stroke={insulation[stripe] ?? v("well")}
          strokeWidth="3.4"
        />
      )}
    </svg>
  );
};
