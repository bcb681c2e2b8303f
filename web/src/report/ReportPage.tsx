import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import GlobalStyles from "@mui/material/GlobalStyles";
import { useEffect, useState } from "react";
import { useNavigate, useParams, useSearchParams } from "react-router";
import type { ReportView } from "../api/client";
import { useReport } from "../api/hooks";
import { useShop } from "../api/hooks";
import { Mark } from "../ui/Mark";
import { OneOf } from "../ui/form";
import { clock, date, day, distance, limitWords, money, number4 } from "../ui/format";
import { ErrorLine } from "../ui/parts";

const COPIES = [
  ["customer", "Customer’s copy"],
  ["shop", "Shop’s copy"],
] as const;
type Copy = (typeof COPIES)[number][0];

/** The printed report: white, ink, hatch only; always in the light drawing, whatever theme is on. */
export const ReportPage = () => {
  const { id = "" } = useParams();
  const [params, setParams] = useSearchParams();
  const report = useReport(id);
  useShop();
  const go = useNavigate();
  const copy: Copy = params.get("copy") === "shop" ? "shop" : "customer";
  const [minutes, setMinutes] = useState(false);
  // printed in the light drawing; the theme of the screen comes back afterwards
  useEffect(() => {
    const root = document.documentElement;
    const was = root.dataset.theme;
    root.dataset.theme = "light";
    return () => {
      root.dataset.theme = was;
    };
  }, []);
  if (!report.data)
    return (
      <Box sx={{ p: 3 }}>
        {report.error ? <ErrorLine>{report.error.message}</ErrorLine> : "Fetching the report"}
      </Box>
    );
  return (
    <Box sx={{ background: "#E8E3D4", minHeight: "100vh", "@media print": { background: "#fff" } }}>
      <GlobalStyles styles={PRINT} />
      <Box
        className="not-printed"
        sx={{ p: 2, display: "flex", gap: 1.5, alignItems: "center", flexWrap: "wrap" }}
      >
        <Button onClick={() => void go(`/jobs/${id}/hand-back`)}>Back to the job</Button>
        <OneOf
          label="Which copy"
          value={copy}
          options={COPIES}
          onPick={(c) => {
            setParams({ copy: c });
          }}
        />
        {copy === "customer" && (
          <Button
            aria-pressed={minutes}
            onClick={() => {
              setMinutes(!minutes);
            }}
          >
            {minutes ? "Minutes are shown" : "Minutes are not shown"}
          </Button>
        )}
        <Button
          variant="contained"
          onClick={() => {
            window.print();
          }}
          data-print
        >
          Print
        </Button>
      </Box>
      <Sheet view={report.data} copy={copy} minutes={minutes || copy === "shop"} />
    </Box>
  );
};

// The frame lies 10 mm from the paper's edge on every sheet, the title block at the foot of every sheet, and
// "sheet n of m" in the margin, where only the print engine can count.
const PRINT = {
  "@page": {
    size: "A4",
    margin: "10mm",
    "@bottom-right": {
      content: '"Sheet " counter(page) " of " counter(pages)',
      fontFamily: '"Atkinson Next", sans-serif',
      fontSize: "13px",
      color: "#1A1D1F",
    },
  },
  "@media print": {
    ".not-printed": { display: "none !important" },
    body: { background: "#fff !important" },
    ".report": {
      width: "auto !important",
      margin: "0 !important",
      boxShadow: "none",
      border: "0 !important",
    },
    ".report-frame": { position: "fixed !important", display: "block !important" },
    ".report-foot": { position: "fixed !important", bottom: "4mm", left: "5mm", right: "5mm" },
    ".report-space": { height: "40mm" },
  },
} as const;

const INK = "#1A1D1F";
const rule = `1px solid ${INK}`;

const Sheet = ({ view: r, copy, minutes }: { view: ReportView; copy: Copy; minutes: boolean }) => {
  const p = r.report;
  const code = p.terms.currency;
  return (
    <Box
      className="report"
      data-report-sheet={copy}
      sx={{
        position: "relative",
        width: "190mm",
        mx: "auto",
        mb: 4,
        background: "#fff",
        color: INK,
        border: `1.6px solid ${INK}`,
        fontSize: 15.5,
        lineHeight: 1.35,
        "& h2": { fontSize: 18, m: 0, fontWeight: 700, breakAfter: "avoid" },
        "& table": { borderCollapse: "collapse", width: "100%" },
        "& th": { fontWeight: 500, fontSize: 14, textAlign: "left", p: 0, pb: 0.4 },
        "& td": { py: 0.5, pr: 1.5, verticalAlign: "top", borderTop: "1px solid #85827a" },
        "& tr": { breakInside: "avoid" },
        "& .n": { textAlign: "right", whiteSpace: "nowrap", pr: 0 },
      }}
    >
      <Box
        className="report-frame"
        aria-hidden="true"
        sx={{ display: "none", inset: 0, border: `1.6px solid ${INK}`, pointerEvents: "none" }}
      />
      {/* a table, because only its foot repeats its room on every printed sheet */}
      <Box component="table" sx={{ "&& > tbody > tr > td, && > tfoot > tr > td": { border: 0, p: 0 } }}>
        <tbody>
          <tr style={{ breakInside: "auto" }}>
            <td>
              <Box sx={{ p: "5mm", pb: 0 }}>
                <Head r={r} copy={copy} />
                {p.path.length > 0 && <PathDrawing r={r} />}
                <Part title="What was wrong">
                  {p.wrong.length === 0 ? (
                    <p style={{ margin: 0 }}>
                      {p.outcome == null
                        ? "The job is open: this is where it stands."
                        : `Ended as: ${p.outcome}. No single cause was found.`}
                    </p>
                  ) : (
                    p.wrong.map((w) => (
                      <p key={w} style={{ margin: 0 }}>
                        {w}
                      </p>
                    ))
                  )}
                </Part>
                {p.measured.length > 0 && (
                  <Part title="How we know">
                    <table>
                      <thead>
                        <tr>
                          <th>Measured</th>
                          <th className="n">On arrival</th>
                          <th className="n">On leaving</th>
                          <th className="n">Should be</th>
                        </tr>
                      </thead>
                      <tbody>
                        {p.measured.map((m) => (
                          <tr key={m.name}>
                            <td>{m.name}</td>
                            <td className="n" data-off={m.off || undefined}>
                              {m.off ? (
                                <b style={{ whiteSpace: "normal" }}>
                                  <Off /> {m.arrival}
                                </b>
                              ) : (
                                m.arrival
                              )}
                            </td>
                            <td className="n">
                              <b>{m.leaving}</b>
                            </td>
                            <td className="n">{m.should_be}</td>
                          </tr>
                        ))}
                      </tbody>
                    </table>
                  </Part>
                )}
                <Part title="What was done">
                  <table>
                    <tbody>
                      {p.done.map((d, k) => (
                        <tr key={k}>
                          <td>
                            <b>{d.what}</b>
                          </td>
                          <td>{d.detail}</td>
                          <td className="n">
                            {minutes && d.minutes > 0 ? `${d.minutes.toFixed(0)} min` : ""}
                          </td>
                          <td className="n">{d.cents == null ? "" : money(d.cents, code)}</td>
                        </tr>
                      ))}
                      <tr>
                        <td>
                          <b>Labour</b>
                        </td>
                        <td>
                          {money(p.terms.rate_cents, code)} per hour
                          {minutes ? `, ${p.minutes.toFixed(0)} min spent` : ""}
                        </td>
                        <td className="n">{minutes ? `${String(p.sum.billed_minutes)} min billed` : ""}</td>
                        <td className="n">{money(p.sum.labour_cents, code)}</td>
                      </tr>
                      {p.sum.small_cents > 0 && (
                        <tr>
                          <td>
                            <b>Consumables</b>
                          </td>
                          <td>solder, sleeve, cleaner</td>
                          <td />
                          <td className="n">{money(p.sum.small_cents, code)}</td>
                        </tr>
                      )}
                      <tr>
                        <td />
                        <td>Tax, {p.terms.tax_percent} %</td>
                        <td />
                        <td className="n">{money(p.sum.tax_cents, code)}</td>
                      </tr>
                      <tr>
                        <td />
                        <td colSpan={2}>
                          <b>To pay, tax included</b>
                        </td>
                        <td className="n" style={{ fontSize: 21, fontWeight: 700 }}>
                          {money(p.sum.total_cents, code)}
                        </td>
                      </tr>
                    </tbody>
                  </table>
                </Part>
                {p.proved.length > 0 && (
                  <Part title="What was proved">
                    <table>
                      <tbody>
                        {p.proved.map((x) => (
                          <tr key={x.name}>
                            <td style={{ width: 26 }}>{x.fitted ? <Ticked /> : null}</td>
                            <td>
                              <b>{x.name}</b>
                            </td>
                            <td>{x.fitted ? x.figure : `not fitted: ${x.figure}`}</td>
                            <td className="n">{limitWords(x.limit, x.limit_imperial)}</td>
                          </tr>
                        ))}
                      </tbody>
                    </table>
                  </Part>
                )}
                {p.let_go.length > 0 && (
                  <Part title="Not proved, left out with a reason">
                    <table>
                      <tbody>
                        {p.let_go.map((x) => (
                          <tr key={x.what}>
                            <td>
                              <b>{x.what}</b>
                            </td>
                            <td>{x.reason}</td>
                            <td className="n">{x.by}</td>
                          </tr>
                        ))}
                      </tbody>
                    </table>
                  </Part>
                )}
                {(p.watch.length > 0 || p.recheck != null) && (
                  <Part title="Please watch">
                    {p.watch.map((w) => (
                      <p key={w} style={{ margin: 0 }}>
                        {w}
                      </p>
                    ))}
                    {p.recheck != null && (
                      <p style={{ margin: 0 }}>
                        Please come back by {day(p.recheck.by)}
                        {p.recheck.km == null ? "" : ` or after ${distance(p.recheck.km)}`}: {p.recheck.what}.
                      </p>
                    )}
                  </Part>
                )}
                <Part title="Using it">
                  <ul style={{ margin: 0, paddingLeft: 20 }}>
                    {p.owner_sheet.map((l) => (
                      <li key={l}>{l}</li>
                    ))}
                  </ul>
                </Part>
              </Box>
            </td>
          </tr>
        </tbody>
        <tfoot>
          <tr>
            <td>
              <div className="report-space" />
            </td>
          </tr>
        </tfoot>
      </Box>
      <Box className="report-foot" sx={{ m: "5mm", "@media print": { m: 0 } }}>
        <TitleBlock r={r} />
      </Box>
    </Box>
  );
};

const Head = ({ r, copy }: { r: ReportView; copy: Copy }) => (
  <>
    <Box sx={{ display: "flex", justifyContent: "space-between", alignItems: "flex-start", gap: 2 }}>
      <Box component="h1" sx={{ m: 0, fontSize: 30, fontWeight: 750, lineHeight: 1.1 }}>
        Repair report
      </Box>
      <Box sx={{ textAlign: "right" }}>
        <b>{r.shop}</b>
        <Box sx={{ fontSize: 14 }}>
          {[r.address, copy === "shop" ? "shop’s copy" : "customer’s copy"].filter(Boolean).join(" · ")}
        </Box>
      </Box>
    </Box>
    <Box sx={{ mt: 1, fontSize: 16 }}>
      For:{" "}
      <b data-report-customer>
        {r.customer_erased ? "customer data erased" : (r.customer?.name ?? "customer not named")}
      </b>
    </Box>
    <Box sx={{ mt: 0.5, fontSize: 16 }}>You told us: “{r.report.told}”</Box>
  </>
);

const Part = ({ title, children }: { title: string; children: React.ReactNode }) => (
  <Box component="section" sx={{ mt: 1.6, pt: 1, borderTop: `1.5px solid ${INK}` }}>
    <h2>{title}</h2>
    <Box sx={{ mt: 0.6 }}>{children}</Box>
  </Box>
);

/** Marks a reading that is not as it should be. */
const Off = () => (
  <svg width="14" height="14" viewBox="0 0 18 18" role="img" aria-label="not as it should be">
    <path d="M9 1l9 16H0z" fill={INK} />
    <path d="M9 6.5v5M9 13.4v1.8" stroke="#fff" strokeWidth="2" />
  </svg>
);

const Ticked = () => (
  <svg width="18" height="18" viewBox="0 0 18 18" role="img" aria-label="passed">
    <circle cx="9" cy="9" r="9" fill={INK} />
    <path d="M4.5 9.5l3 3 6-7" fill="none" stroke="#fff" strokeWidth="2.2" />
  </svg>
);

/** The current path: boxes on one line, ticked where it reads well, crossed and hatched where it was not. */
const PathDrawing = ({ r }: { r: ReportView }) => {
  const strands = r.report.path.find((b) => b.id === "strands");
  const boxes = r.report.path.filter((b) => b.id !== "strands");
  const width = 660;
  const gap = 14;
  const one = (width - gap * (boxes.length + 1)) / boxes.length;
  const high = strands?.state === "fault" ? 46 : 14;
  const fault = boxes.find((b) => b.state === "fault") ?? (strands?.state === "fault" ? strands : undefined);
  return (
    <Box sx={{ mt: 1.5, breakInside: "avoid" }}>
      <svg
        width="100%"
        viewBox={`0 0 ${String(width)} ${String(high + 76)}`}
        role="img"
        aria-label={fault ? `The fault was in: ${fault.name}` : "The current path"}
      >
        <defs>
          <pattern
            id="report-hatch"
            width="6"
            height="6"
            patternUnits="userSpaceOnUse"
            patternTransform="rotate(45)"
          >
            <path d="M0 0v6" stroke={INK} strokeWidth="2" />
          </pattern>
        </defs>
        <path d={`M0 ${String(high + 22)}h${String(width)}`} stroke={INK} strokeWidth="5" />
        {strands?.state === "fault" && (
          <g>
            <path
              d={`M${String(gap + 3.5 * (one + gap))} ${String(high + 4)}V14H${String(gap + 5.5 * (one + gap))}V${String(high + 4)}`}
              fill="none"
              stroke={INK}
              strokeWidth="3"
            />
            <rect x={gap + 4.2 * (one + gap)} y="4" width="44" height="20" fill="#fff" />
            <rect
              x={gap + 4.2 * (one + gap)}
              y="4"
              width="44"
              height="20"
              fill="url(#report-hatch)"
              stroke={INK}
              strokeWidth="2"
            />
            <text x={gap + 3.5 * (one + gap) - 8} y="20" textAnchor="end" fontSize="14" fontWeight="700">
              fault was in the signal wires
            </text>
          </g>
        )}
        {boxes.map((b, k) => {
          const x = gap + k * (one + gap);
          return (
            <g key={b.id} data-path={b.state}>
              <rect x={x} y={high} width={one} height="44" fill="#fff" />
              {b.state === "fault" && (
                <rect x={x} y={high} width={one} height="44" fill="url(#report-hatch)" />
              )}
              <rect x={x} y={high} width={one} height="44" fill="none" stroke={INK} strokeWidth="2" />
              {b.state === "fault" && (
                <rect x={x + 3} y={high + 12} width={one - 6} height="20" fill="#fff" />
              )}
              <text x={x + one / 2} y={high + 27} textAnchor="middle" fontSize="13.5" fontWeight="600">
                {b.name}
              </text>
              {b.state === "good" && (
                <g transform={`translate(${String(x + one / 2 - 9)} ${String(high + 52)})`}>
                  <circle cx="9" cy="9" r="8" fill="none" stroke={INK} strokeWidth="2" />
                  <path d="M5 9.5l3 3 5-6" fill="none" stroke={INK} strokeWidth="2" />
                </g>
              )}
              {b.state === "fault" && (
                <text x={x + one / 2} y={high + 66} textAnchor="middle" fontSize="13" fontWeight="700">
                  fault was here
                </text>
              )}
            </g>
          );
        })}
      </svg>
      <Box sx={{ fontSize: 14 }}>Ticked: measured, and as it should be.</Box>
    </Box>
  );
};

const Box2 = ({
  caption,
  children,
  grow = 1,
}: {
  caption: string;
  children: React.ReactNode;
  grow?: number;
}) => (
  <Box sx={{ flex: grow, minWidth: 0, p: "2mm", borderRight: rule, "&:last-child": { borderRight: 0 } }}>
    <Box sx={{ fontSize: 13 }}>{caption}</Box>
    <Box sx={{ fontSize: 15.5, fontWeight: 700, minHeight: 22, overflow: "hidden", whiteSpace: "nowrap" }}>
      {children}
    </Box>
  </Box>
);

const TitleBlock = ({ r }: { r: ReportView }) => (
  <Box sx={{ border: `2px solid ${INK}`, background: "#fff" }} data-title-block>
    <Box sx={{ display: "flex", borderBottom: rule }}>
      <Box2 caption="Vehicle" grow={1.5}>
        {r.vehicle || "not named"}
      </Box2>
      <Box2 caption="Frame number">{r.frame_number ?? "none noted"}</Box2>
      <Box2 caption="Received, handed back" grow={1.4}>
        {r.received == null ? "" : date(r.received)}
        {r.handed_back == null ? "" : ` / ${date(r.handed_back)} ${clock(r.handed_back)}`}
      </Box2>
    </Box>
    <Box sx={{ display: "flex" }}>
      <Box2 caption={`Technician, ${r.technician}`} grow={1.5}>
        {" "}
      </Box2>
      <Box2 caption="Customer, sign"> </Box2>
      <Box2 caption="Job" grow={0.8}>
        {number4(r.number)}
      </Box2>
      <Box sx={{ p: "2mm", display: "grid", placeItems: "center" }}>
        <Mark size={34} />
      </Box>
    </Box>
  </Box>
);
