import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, take } from "../api/client";
import { v } from "../theme/tokens";
import { Form, Line } from "../ui/form";
import { Section, useAct } from "./act";

/** A second factor: codes that change every half minute, beside the password. */
export const Factor = () => {
  const { act, said } = useAct();
  const client = useQueryClient();
  const state = useQuery({ queryKey: ["factor"], queryFn: () => take(api.GET("/me/factor")) });
  const [password, setPassword] = useState("");
  const [code, setCode] = useState("");
  const [secret, setSecret] = useState<{ secret: string; url: string }>();
  const on = state.data?.on === true;
  const again = () => client.invalidateQueries({ queryKey: ["factor"] });
  const begin = () =>
    act(async () => {
      setSecret(await take(api.POST("/me/factor", { body: { password } })));
      setPassword("");
      return "made; type it into your program, then its first code here";
    });
  const first = () =>
    act(async () => {
      await take(api.PUT("/me/factor", { body: { code } }));
      setSecret(undefined);
      setCode("");
      await again();
      return "on";
    });
  const end = () =>
    act(async () => {
      await take(api.DELETE("/me/factor", { body: { password } }));
      setPassword("");
      await again();
      return "off";
    });
  return (
    <Section
      title="Second factor"
      note={
        on
          ? "On: signing in asks for a code as well. Lost the program? Another owner resets you."
          : "A code that changes every half minute, from a program on your telephone. Whoever has only your password then stays out."
      }
    >
      {secret ? (
        <Form columns="1fr" mark="first-code" onSend={() => void first()}>
          <Box
            sx={{ p: 1.4, border: `3px solid ${v("ink")}`, background: v("sheet") }}
            data-secret={secret.secret}
          >
            Shown only now:
            <Box
              component="code"
              sx={{ display: "block", font: "inherit", fontWeight: 700, letterSpacing: "0.06em" }}
            >
              {secret.secret.replace(/(.{4})/gu, "$1 ")}
            </Box>
            <a href={secret.url} style={{ color: "inherit" }}>
              Open it in the program on this device
            </a>
          </Box>
          <Line label="First code" name="first-code" mode="numeric" value={code} onChange={setCode} />
          <Button type="submit" disabled={code.trim().length < 6} sx={{ justifySelf: "start" }}>
            Use it from now on
          </Button>
        </Form>
      ) : (
        <Form columns="1fr" mark="factor" onSend={() => void (on ? end() : begin())}>
          <Line
            label="Password"
            name="factor-password"
            type="password"
            value={password}
            onChange={setPassword}
          />
          <Button
            type="submit"
            disabled={password === ""}
            sx={{ justifySelf: "start" }}
            data-factor={on ? "on" : "off"}
          >
            {on ? "Remove it" : "Set one up"}
          </Button>
        </Form>
      )}
      {said}
    </Section>
  );
};
