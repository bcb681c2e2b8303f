import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import { useQueryClient } from "@tanstack/react-query";
import { api, take } from "../api/client";
import { useMe } from "../api/hooks";
import { PlainFrame } from "../frame/PlainFrame";
import { Form, Line } from "../ui/form";
import { Section, useAct } from "./act";
import { Factor } from "./Factor";
import { Sessions } from "./Sessions";

/** Everybody's own: password, short code for the shared tablet, second factor, sessions, private calendar link. */
export const MePage = () => {
  const me = useMe();
  return (
    <PlainFrame title={me.data?.name ?? ""}>
      <Box
        sx={{
          display: "grid",
          gridTemplateColumns: "repeat(auto-fit, minmax(340px, 1fr))",
          gap: 4,
          alignItems: "start",
        }}
      >
        <Code />
        <Password />
        <Factor />
        <Sessions />
        <CalendarLink />
      </Box>
    </PlainFrame>
  );
};

const Code = () => {
  const { act, said } = useAct();
  const client = useQueryClient();
  const [password, setPassword] = useState("");
  const [code, setCode] = useState("");
  const set = (to: string | null) =>
    act(async () => {
      await take(api.PUT("/me/code", { body: { password, code: to } }));
      setCode("");
      setPassword("");
      await client.invalidateQueries({ queryKey: ["people"] });
      return to === null ? "taken away" : "set";
    });
  return (
    <Section
      title="Short code"
      note="4 to 8 figures. With it you take over at a tablet where somebody is signed in; it opens nothing else."
    >
      <Form columns="1fr" mark="code" onSend={() => void set(code)}>
        <Line label="Password" name="code-password" type="password" value={password} onChange={setPassword} />
        <Line
          label="Short code"
          name="new-code"
          type="password"
          value={code}
          onChange={setCode}
          mode="numeric"
        />
        <Box sx={{ display: "flex", gap: 1 }}>
          <Button type="submit" disabled={password === "" || code === ""} data-set-code>
            Set the code
          </Button>
          <Button type="button" disabled={password === ""} onClick={() => void set(null)}>
            Remove it
          </Button>
        </Box>
        {said}
      </Form>
    </Section>
  );
};

const Password = () => {
  const { act, said } = useAct();
  const client = useQueryClient();
  const [old, setOld] = useState("");
  const [fresh, setFresh] = useState("");
  return (
    <Section
      title="Password"
      note="10 letters or more; three or four words are good. You sign in again afterwards, everywhere."
    >
      <Form
        columns="1fr"
        mark="password"
        onSend={() =>
          void act(async () => {
            await take(api.PUT("/me/password", { body: { old, new: fresh } }));
            setOld("");
            setFresh("");
            await client.invalidateQueries({ queryKey: ["me"] });
            return "set";
          })
        }
      >
        <Line label="Old password" name="old-password" type="password" value={old} onChange={setOld} />
        <Line label="New password" name="new-password" type="password" value={fresh} onChange={setFresh} />
        <Button type="submit" disabled={old === "" || fresh === ""} sx={{ justifySelf: "start" }}>
          Set the password
        </Button>
        {said}
      </Form>
    </Section>
  );
};

const CalendarLink = () => {
  const { act, said } = useAct();
  const [url, setUrl] = useState<string>();
  return (
    <Section
      title="Calendar"
      note="Promises, waits that end and re-checks as a calendar. Whoever has the link sees job numbers and vehicles, never customers. A new link ends the old one."
    >
      <Box sx={{ display: "flex", gap: 1 }}>
        <Button
          onClick={() =>
            void act(async () => {
              const made = await take(api.POST("/me/calendar"));
              setUrl(made.url);
              return "made; it is shown only now";
            })
          }
          data-calendar
        >
          Make a link
        </Button>
        <Button
          onClick={() =>
            void act(async () => {
              await take(api.DELETE("/me/calendar"));
              setUrl(undefined);
              return "revoked";
            })
          }
          data-calendar-revoke
        >
          Revoke it
        </Button>
      </Box>
      {url !== undefined && (
        <Box
          component="code"
          sx={{ fontFamily: "inherit", overflowWrap: "anywhere", fontWeight: 650 }}
          data-url
        >
          {url}
        </Box>
      )}
      {said}
    </Section>
  );
};
