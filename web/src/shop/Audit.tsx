import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useInfiniteQuery } from "@tanstack/react-query";
import { api, take } from "../api/client";
import { v } from "../theme/tokens";
import { dayAndTime } from "../ui/format";
import { ErrorLine, Heading } from "../ui/parts";
import { Table } from "../ui/Table";

/** Who did what beside the jobs: kept as it was written, newest first. */
export const Audit = () => {
  const pages = useInfiniteQuery({
    queryKey: ["audit"],
    initialPageParam: undefined as number | undefined,
    queryFn: ({ pageParam }) =>
      take(api.GET("/audit", { params: { query: pageParam === undefined ? {} : { before: pageParam } } })),
    getNextPageParam: (last) => (last.length < 100 ? undefined : last[last.length - 1]?.seq),
  });
  const lines = (pages.data?.pages ?? []).flat();
  return (
    <Box component="section" data-audit>
      <Heading note="sign-ins, refusals, people, customers, sheets, settings; never changed, never erased">
        What was done
      </Heading>
      {pages.error && <ErrorLine>{pages.error.message}</ErrorLine>}
      <Table sx={{ borderTop: `2px solid ${v("ink")}`, mt: 1, "& td": { verticalAlign: "top" } }}>
        <tbody>
          {lines.map((l) => (
            <tr key={l.seq} data-audit-line={l.what}>
              <td style={{ whiteSpace: "nowrap", color: v("ink2") }}>{dayAndTime(l.at)}</td>
              <td style={{ whiteSpace: "nowrap" }}>{l.by === "" ? "nobody known" : l.by}</td>
              <td style={{ whiteSpace: "nowrap", fontWeight: 650 }}>{l.what}</td>
              <td style={{ overflowWrap: "anywhere", width: "100%" }}>{l.about}</td>
              <td style={{ textAlign: "right", color: v("ink2") }}>{l.address}</td>
            </tr>
          ))}
        </tbody>
      </Table>
      {pages.hasNextPage && (
        <Button onClick={() => void pages.fetchNextPage()} sx={{ mt: 1 }}>
          Older ones
        </Button>
      )}
    </Box>
  );
};
