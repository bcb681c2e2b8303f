import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, Refusal, take } from "../api/client";
import { useMe, usePeople } from "../api/hooks";
import { ThemeSwitch } from "../theme/ThemeSwitch";
import { v } from "../theme/tokens";
import { ErrorLine } from "../ui/parts";
import { Line, pressed } from "../ui/form";

/** Who works here now. Pressing it changes over with a short code; the page stays as it is. */
export const PersonButton = () => {
  const me = useMe();
  const [open, setOpen] = useState(false);
  const short = (me.data?.name ?? "").split(" ")[0];
  return (
    <Box sx={{ position: "relative", alignSelf: "center", flex: "none" }}>
      <Button
        onClick={() => {
          setOpen(!open);
        }}
        aria-expanded={open}
        data-person={me.data?.name}
        sx={{ minHeight: 44, height: 44, px: 1.2, maxWidth: 130, whiteSpace: "nowrap", fontSize: 16 }}
      >
        {short}
      </Button>
      {open && (
        <Panel
          onDone={() => {
            setOpen(false);
          }}
        />
      )}
    </Box>
  );
};

const Panel = ({ onDone }: { onDone: () => void }) => {
  const me = useMe();
  const people = usePeople();
  const client = useQueryClient();
  const go = useNavigate();
  const [who, setWho] = useState<string>();
  const [code, setCode] = useState("");
  const [factor, setFactor] = useState("");
  const [wants, setWants] = useState(false);
  const [error, setError] = useState<string>();
  const others = (people.data ?? []).filter((p) => !p.disabled && p.name !== me.data?.name);
  const change = async () => {
    setError(undefined);
    try {
      const next = await take(
        api.POST("/session/change", {
          body: { name: who ?? "", code, factor: factor === "" ? null : factor },
        }),
      );
      client.setQueryData(["me"], next);
      // what the next person may do is another thing; what is typed on the page stays
      await client.invalidateQueries({ queryKey: ["job"] });
      onDone();
    } catch (x) {
      if (x instanceof Refusal && x.code === "code-needed") setWants(true);
      else setCode("");
      setError(x instanceof Refusal ? x.message : String(x));
    }
  };
  const signOut = async () => {
    await take(api.DELETE("/session")).catch(() => undefined);
    client.clear();
    window.location.assign("/");
  };
  return (
    <Box
      role="group"
      aria-label="Who takes over"
      onKeyDown={(e: React.KeyboardEvent) => {
        if (e.key === "Escape") onDone();
      }}
      sx={{
        position: "absolute",
        right: 0,
        top: "calc(100% + 6px)",
        zIndex: 8,
        width: 380,
        maxWidth: "92vw",
        background: v("sheet"),
        border: `2px solid ${v("ink")}`,
        p: 2,
        display: "grid",
        gap: 1.2,
        fontSize: 16,
      }}
    >
      <span>
        <b>{me.data?.name}</b>, {me.data?.role}
      </span>
      <b>Who takes over?</b>
      <Box sx={{ display: "flex", gap: 0.8, flexWrap: "wrap" }}>
        {others.map((p) => (
          <Button
            key={p.id}
            disabled={!p.has_code}
            aria-pressed={who === p.name}
            title={p.has_code ? undefined : "No short code set"}
            onClick={() => {
              setWho(p.name);
              setError(undefined);
            }}
            data-who={p.name}
            sx={{ minHeight: 46, fontSize: 16, ...pressed(who === p.name) }}
          >
            {p.name}
          </Button>
        ))}
        {others.length === 0 && <span>Nobody else works here yet.</span>}
      </Box>
      {who !== undefined && (
        <Box
          component="form"
          onSubmit={(e: React.FormEvent) => {
            e.preventDefault();
            void change();
          }}
          sx={{ display: "flex", gap: 1 }}
        >
          <Box
            component="input"
            autoFocus
            name="code"
            type="password"
            inputMode="numeric"
            autoComplete="off"
            aria-label={`Short code of ${who}`}
            placeholder="Short code"
            value={code}
            onChange={(e: React.ChangeEvent<HTMLInputElement>) => {
              setCode(e.target.value);
            }}
            sx={{
              flex: 1,
              minWidth: 0,
              font: "inherit",
              fontSize: 22,
              height: 48,
              border: `3px solid ${v("ink")}`,
              borderRadius: "3px",
              px: 1,
              background: v("paper"),
              color: v("ink"),
            }}
          />
          <Button type="submit" variant="contained" disabled={code.length < 4} data-take-over>
            Take over
          </Button>
        </Box>
      )}
      {wants && (
        <Line
          label="Code of the second factor"
          name="factor"
          mode="numeric"
          autoFocus
          value={factor}
          onChange={setFactor}
        />
      )}
      {error !== undefined && <ErrorLine>{error}</ErrorLine>}
      <Box
        sx={{
          borderTop: `1px solid ${v("ruleStrong")}`,
          pt: 1.2,
          display: "flex",
          gap: 0.8,
          flexWrap: "wrap",
        }}
      >
        <ThemeSwitch />
        <Button onClick={() => void go("/me")} sx={{ minHeight: 46, fontSize: 16 }} data-to-me>
          Password, code, sessions
        </Button>
        {me.data?.role === "owner" && (
          <Button onClick={() => void go("/shop")} sx={{ minHeight: 46, fontSize: 16 }} data-to-shop>
            People and shop
          </Button>
        )}
        <Button onClick={() => void signOut()} sx={{ minHeight: 46, fontSize: 16 }} data-sign-out>
          Sign out
        </Button>
      </Box>
    </Box>
  );
};
