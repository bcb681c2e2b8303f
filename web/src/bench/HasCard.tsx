import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import type { Change, JobView, KnownFrom } from "../api/client";
import { lookAhead, useProfile } from "../api/hooks";
import { Has } from "../has/Has";
import { ErrorLine, KeyedCard } from "../ui/parts";

interface Props {
  job: JobView;
  error: string | undefined;
  onChange: (change: Change, source: KnownFrom) => void;
  onClose: () => void;
}

/** What the vehicle has, beside the path: a press says what was seen, and every reading is weighed anew. */
export const HasCard = ({ job, error, onChange, onClose }: Props) => {
  const profile = useProfile(job);
  const why = error ?? profile.error?.message;
  return (
    <KeyedCard label="What it has" sx={{ flex: 1, minWidth: 0 }}>
      <Box sx={{ p: 1.4, height: "100%", overflowY: "auto", display: "grid", gap: 1, alignContent: "start" }}>
        {profile.data ? (
          <Has
            row
            narrow
            slots={profile.data.has}
            standstill={profile.data.standstill}
            closed={job.closed != null}
            onSet={(change) => {
              onChange(change, "seen");
            }}
            onLook={(slot) => {
              lookAhead(job, slot);
            }}
          />
        ) : (
          !why && "Fetching the vehicle"
        )}
        {why && <ErrorLine>{why}</ErrorLine>}
        <Box>
          <Button onClick={onClose} data-has-close>
            Back to the test
          </Button>
        </Box>
      </Box>
    </KeyedCard>
  );
};
