import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, take } from "../api/client";
import { useMe } from "../api/hooks";
import { dayAndTime } from "../ui/format";
import { ErrorLine } from "../ui/parts";

/** The customer's card as it stood before it was changed, for the shop's owner. */
export const CardBefore = ({ customer }: { customer: string }) => {
  const [shown, setShown] = useState(false);
  const me = useMe();
  const before = useQuery({
    queryKey: ["card-before", customer],
    enabled: shown,
    queryFn: () => take(api.GET("/customers/{id}/before", { params: { path: { id: customer } } })),
  });
  if (me.data?.role !== "owner") return null;
  return (
    <Box sx={{ mt: 2, fontSize: 16 }} data-card-before>
      <Button
        aria-expanded={shown}
        onClick={() => {
          setShown(!shown);
        }}
        sx={{ minHeight: 44, fontSize: 15.5 }}
      >
        {shown ? "Hide earlier cards" : "Card as it was before"}
      </Button>
      {shown && before.error && <ErrorLine>{before.error.message}</ErrorLine>}
      {shown && before.data?.length === 0 && <Box sx={{ mt: 1 }}>It has never been changed.</Box>}
      {shown &&
        before.data?.map((c) => (
          <Box key={c.until} sx={{ mt: 1 }}>
            <b>{c.name}</b>
            {c.contact === "" ? "" : `, ${c.contact}`}, until {dayAndTime(c.until)}, changed by {c.by}
          </Box>
        ))}
    </Box>
  );
};
