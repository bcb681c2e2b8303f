import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import type { Card } from "../api/client";
import { v } from "../theme/tokens";
import { minutes } from "../ui/format";

/** The card's first line: what it is, why, what it costs, and what can be done instead. */
export const CardHead = ({
  card,
  title,
  why,
  passing,
  hidden,
  onWhy,
  onPass,
  onBack,
}: {
  card: Card;
  title: string;
  /** The reasons are shown. */
  why: boolean;
  /** It is being passed over. */
  passing: boolean;
  hidden: boolean;
  onWhy: () => void;
  onPass: () => void;
  /** Back to what was proposed, where this was chosen by hand. */
  onBack: (() => void) | undefined;
}) => {
  const probe = card.kind === "probe";
  return (
    <Box
      sx={{
        flex: "none",
        fontSize: 15.5,
        // a refused figure takes its line: there is no room for both
        display: hidden ? "none" : "flex",
        gap: 1,
        alignItems: "baseline",
        pr: 3,
      }}
    >
      <b style={{ color: v("copper"), whiteSpace: "nowrap" }}>{title}</b>
      <Box component="span" sx={{ overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap" }}>
        {probe ? `${card.why}.` : `${card.name}.`} About {minutes(card.minutes)} min.
        {card.opens
          ? ` Opens: ${card.opens.toLowerCase()}${card.destroys ? ` (renews ${card.destroys})` : ""}.`
          : ""}
      </Box>
      <TextButton aria-expanded={why} onClick={onWhy} ml={"auto"} data-why-this>
        {why ? "Back to it" : "Why this"}
      </TextButton>
      {!passing && (
        <TextButton onClick={onPass} ml={0.5} data-skip>
          Skip this test
        </TextButton>
      )}
      {onBack && (
        <Button
          onClick={onBack}
          sx={{ minHeight: 30, height: 30, fontSize: 14, py: 0, flex: "none" }}
          aria-label="Back to the proposal"
        >
          Back
        </Button>
      )}
    </Box>
  );
};

/** A word to press beside the title of the card. */
const TextButton = ({ ml, ...rest }: { ml: number | "auto" } & React.ComponentProps<"button">) => (
  <Box
    component="button"
    type="button"
    {...rest}
    sx={{
      font: "inherit",
      fontSize: 15,
      background: "none",
      border: 0,
      p: 0,
      ml,
      color: v("ink"),
      textDecoration: "underline",
      cursor: "pointer",
      whiteSpace: "nowrap",
    }}
  />
);
