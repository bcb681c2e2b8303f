import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import { useNavigate, useParams } from "react-router";
import type { Change, JobView, KnownFrom, Slot, VehicleProfile } from "../api/client";
import { lookAhead, useAppend, useJob, useProfile } from "../api/hooks";
import { JobLine, stationOf } from "../frame/JobLine";
import { JobCell, MinutesCell, TitleBlock } from "../frame/TitleBlock";
import { v } from "../theme/tokens";
import { OneOf } from "../ui/form";
import { ErrorLine, Heading } from "../ui/parts";
import { Figures, Row } from "./Figures";
import { Has } from "../has/Has";
import { Joins } from "./Joins";
import { KeptBuilds } from "./KeptBuilds";
import { PackFields } from "./PackFields";
import { from, SOURCES } from "../has/sources";
import { Ways } from "./Ways";

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
  const set = (change: Change, by: KnownFrom = source) => {
    append.mutate([{ kind: "change", change, source: by }]);
  };
  const builtAs = (slot: Slot) => p.built.filter((b) => b.slot === slot.slot);
  const doneTo = (slot: Slot) => p.alterations.filter((a) => a.slot === slot.slot);
  const back = stationOf(job);
  return (
    <Box sx={{ minHeight: "100vh", display: "flex", flexDirection: "column" }}>
      <JobLine job={job} here={back.id} />
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
        <Box sx={{ display: "flex", gap: 1.5, alignItems: "center" }}>
          <span>What I set next comes from</span>
          <OneOf
            label="What I set next comes from"
            value={source}
            options={SOURCES.map(([id, words]) => [id, words] as const)}
            onPick={setSource}
          />
        </Box>
        <Button onClick={() => void go(`/jobs/${job.id}/${back.id}`)} data-to-bench>
          To the {back.name.toLowerCase()}
        </Button>
      </Box>
      <Box sx={{ px: 2, minHeight: 42, pt: 0.5, fontSize: 15.5, color: v("ink2") }}>
        {append.error ? (
          <ErrorLine>{append.error.message}</ErrorLine>
        ) : (
          "A figure is saved when its field is left. Readings stay as they were taken; what they are compared with follows the vehicle."
        )}
      </Box>
      <Box sx={{ px: 2, pb: 2.5 }}>
        <Has
          slots={p.has.map((slot) => ({
            ...slot,
            changed: slot.changed || [...doneTo(slot), ...builtAs(slot)].some((w) => w.present),
          }))}
          standstill={p.standstill}
          closed={closed}
          onLook={(slot) => {
            lookAhead(job, slot);
          }}
          more={(slot) => (
            <>
              <Joins slot={slot} profile={p} closed={closed} onSet={set} />
              <Box
                sx={{
                  display: "grid",
                  gridTemplateColumns: "repeat(auto-fit, minmax(400px, 1fr))",
                  gap: 3,
                  mt: 2,
                  "&:empty": { display: "none" },
                }}
              >
                <Ways
                  title="Built otherwise than the drawing"
                  note="undo in the record takes one back"
                  ways={builtAs(slot)}
                  mark="data-built"
                  closed={closed}
                  undone={false}
                  onPress={(w) => {
                    set({ what: "built", variant: w.id });
                  }}
                />
                <Ways
                  title="Done to it since it was made"
                  ways={doneTo(slot)}
                  mark="data-alteration"
                  closed={closed}
                  undone
                  onPress={(w) => {
                    set({ what: "alteration", id: w.id, present: !w.present });
                  }}
                />
              </Box>
            </>
          )}
          onSet={(change) => {
            // who presses a thing stands before it, or has been told
            set(change, source === "told" ? "told" : "seen");
          }}
        />
      </Box>
      <KeptBuilds
        job={job}
        closed={closed}
        onTake={(bodies) => {
          append.mutate(bodies);
        }}
      />
      <Box
        sx={{
          display: "grid",
          gridTemplateColumns: "minmax(0, 1fr) minmax(0, 1.1fr)",
          gap: 3,
          px: 2,
          pb: 3,
          "@media (max-width: 1000px)": { gridTemplateColumns: "minmax(0, 1fr)" },
        }}
      >
        <Box sx={{ display: "grid", gap: 2.5, alignContent: "start", minWidth: 0 }}>
          <PackFields
            key={JSON.stringify([p.pack.groups, p.pack.chemistry, p.pack.parallel, p.pack.amp_hours])}
            pack={p.pack}
            set={set}
            closed={closed}
          />
          <Figures caption="Labels and settings">
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
                note={f.predicts ? undefined : "noted only"}
                caution={f.caution ?? undefined}
                closed={closed}
                onSet={(value) => {
                  set({ what: "figure", figure: f.id, value });
                }}
              />
            ))}
          </Figures>
        </Box>
        <Box sx={{ display: "grid", gap: 2.5, alignContent: "start", minWidth: 0 }}>
          {p.halls && (
            <Box sx={{ display: "flex", gap: 1, alignItems: "center", fontSize: 16 }}>
              <b>Hall spacing</b>
              <OneOf
                label="Hall spacing"
                value={String(p.halls.degrees)}
                options={["120", "60"].map((d) => [d, `${d}°`] as const)}
                disabled={closed}
                onPick={(degrees) => {
                  set({ what: "hall-spacing", degrees: Number(degrees) });
                }}
              />
              <Box component="span" sx={{ color: v("ink2"), fontSize: 15 }}>
                {from(p.halls.source)}
              </Box>
            </Box>
          )}
          <Figures caption="Wires">
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
                closed={closed}
                onSet={(mm2) => {
                  set({ what: "gauge", strand: s.id, mm2 });
                }}
              />
            ))}
          </Figures>
          <Box sx={{ fontSize: 15, color: v("ink2") }}>
            How a component is built otherwise than the drawing, and what was done to it, stands in its panel
            above. Colours, added wires, other pins, levers and pull-ups: press the plug on the path, then
            “Not like this here”.
          </Box>
        </Box>
      </Box>
    </Box>
  );
};
