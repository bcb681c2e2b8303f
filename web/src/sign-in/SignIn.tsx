import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { Line } from "../ui/form";
import { useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { api, Refusal, take } from "../api/client";
import { v } from "../theme/tokens";
import { Mark } from "../ui/Mark";
import { ErrorLine, KeyedCard } from "../ui/parts";

/** Sign in. `again`: the session of this person is over, the page behind keeps what was typed. */
export const SignIn = ({ again }: { again?: string }) => {
  const [name, setName] = useState(again ?? "");
  const [password, setPassword] = useState("");
  const [code, setCode] = useState("");
  const [wants, setWants] = useState(false);
  const [error, setError] = useState<string>();
  const [busy, setBusy] = useState(false);
  const client = useQueryClient();
  const submit = async (e: FormEvent) => {
    e.preventDefault();
    setBusy(true);
    setError(undefined);
    try {
      const me = await take(
        api.POST("/session", { body: { name, password, code: code === "" ? null : code } }),
      );
      client.setQueryData(["me"], me);
      await client.invalidateQueries();
    } catch (x) {
      if (x instanceof Refusal && x.code === "code-needed") setWants(true);
      setError(x instanceof Refusal ? x.message : String(x));
    } finally {
      setBusy(false);
    }
  };
  return (
    <Box
      sx={{
        position: again !== undefined ? "fixed" : "static",
        inset: 0,
        zIndex: 10,
        background: v("paper"),
        minHeight: "100vh",
        display: "grid",
        placeItems: "center",
        p: 2,
      }}
    >
      <Box sx={{ width: 420, maxWidth: "100%" }}>
        <Box sx={{ display: "flex", gap: 1.5, alignItems: "center", mb: 3, fontSize: 30, fontWeight: 750 }}>
          <Mark size={52} /> Spannung
        </Box>
        <KeyedCard label="Sign in">
          <Box
            component="form"
            onSubmit={(e: FormEvent) => void submit(e)}
            sx={{ p: 3, display: "grid", gap: 2 }}
          >
            <Box component="h1" sx={{ m: 0, fontSize: 22, fontWeight: 700 }}>
              {again !== undefined ? "Sign in again" : "Sign in"}
            </Box>
            {again !== undefined && (
              <span>Your session is over. What you typed is kept behind this page.</span>
            )}
            <Line
              label="Name"
              name="name"
              autoComplete="username"
              autoFocus={again === undefined}
              value={name}
              onChange={setName}
            />
            <Line
              label="Password"
              name="password"
              type="password"
              autoComplete="current-password"
              autoFocus={again !== undefined}
              value={password}
              onChange={setPassword}
            />
            {wants && (
              <Line
                label="Code of the second factor"
                name="factor"
                autoComplete="one-time-code"
                autoFocus
                value={code}
                onChange={setCode}
              />
            )}
            {error && <ErrorLine>{error}</ErrorLine>}
            <Button type="submit" variant="contained" disabled={busy || name === "" || password === ""}>
              {busy ? "Looking" : "Sign in"}
            </Button>
          </Box>
        </KeyedCard>
      </Box>
    </Box>
  );
};
