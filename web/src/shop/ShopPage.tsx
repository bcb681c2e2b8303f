import Box from "@mui/material/Box";
import { useMe } from "../api/hooks";
import { PlainFrame } from "../frame/PlainFrame";
import { ErrorLine } from "../ui/parts";
import { Audit } from "./Audit";
import { People } from "./People";
import { Settings } from "./Settings";

/** The owner's page: who works here, and what bills are worked out with. */
export const ShopPage = () => {
  const me = useMe();
  return (
    <PlainFrame title="People and shop">
      {me.data?.role === "owner" ? (
        <Box
          sx={{
            display: "grid",
            gridTemplateColumns: "minmax(0, 1fr) minmax(0, 1fr)",
            gap: 4,
            alignItems: "start",
            "@media (max-width: 900px)": { gridTemplateColumns: "minmax(0, 1fr)" },
          }}
        >
          <People />
          <Settings />
          <Box sx={{ gridColumn: "1 / -1" }}>
            <Audit />
          </Box>
        </Box>
      ) : (
        <ErrorLine>Only the owner changes people and settings.</ErrorLine>
      )}
    </PlainFrame>
  );
};
