import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import { useState, useSyncExternalStore } from "react";
import { api, Refusal, take } from "../api/client";
import { v } from "../theme/tokens";
import { Form, Line } from "../ui/form";
import { ErrorLine } from "../ui/parts";

interface Asked {
  done: () => void;
  given: () => void;
}
let asked: Asked | undefined;
const listeners = new Set<() => void>();
const set = (next: Asked | undefined) => {
  asked = next;
  listeners.forEach((l) => {
    l();
  });
};

/** Do something that asks for the password again when it was given too long ago, and then do it once more. */
export const confirmed = async <T,>(f: () => Promise<T>): Promise<T> => {
  try {
    return await f();
  } catch (e) {
    if (!(e instanceof Refusal && e.code === "confirm")) throw e;
    await new Promise<void>((resolve, reject) => {
      set({
        given: resolve,
        done: () => {
          set(undefined);
          reject(e);
        },
      });
    });
    set(undefined);
    return f();
  }
};

/** The question for the password, above whatever page asked. */
export const ConfirmPassword = () => {
  const open = useSyncExternalStore(
    (l) => {
      listeners.add(l);
      return () => listeners.delete(l);
    },
    () => asked,
  );
  return open ? <Ask asked={open} /> : null;
};

const Ask = ({ asked: a }: { asked: Asked }) => {
  const [password, setPassword] = useState("");
  const [code, setCode] = useState("");
  const [wantsCode, setWantsCode] = useState(false);
  const [error, setError] = useState<string>();
  const send = async () => {
    setError(undefined);
    try {
      await take(api.POST("/session/confirm", { body: { password, code: code === "" ? null : code } }));
      a.given();
    } catch (x) {
      if (x instanceof Refusal && x.code === "code-needed") setWantsCode(true);
      setError(x instanceof Error ? x.message : String(x));
    }
  };
  return (
    <Dialog
      open
      onClose={a.done}
      slotProps={{ paper: { sx: { border: `3px solid ${v("ink")}`, borderRadius: 0, p: 2.5, width: 440 } } }}
    >
      <Form columns="1fr" mark="confirm" onSend={() => void send()}>
        <Box component="h1" sx={{ m: 0, fontSize: 21, fontWeight: 750 }}>
          Your password again
        </Box>
        <span>It changes who may do what, or cannot be undone.</span>
        <Line
          label="Password"
          name="confirm-password"
          type="password"
          autoFocus
          value={password}
          onChange={setPassword}
        />
        {wantsCode && (
          <Line
            label="Code of the second factor"
            name="confirm-code"
            mode="numeric"
            value={code}
            onChange={setCode}
          />
        )}
        {error !== undefined && <ErrorLine>{error}</ErrorLine>}
        <Box sx={{ display: "flex", gap: 1 }}>
          <Button type="submit" variant="contained" disabled={password === ""} data-confirm>
            Go on
          </Button>
          <Button type="button" onClick={a.done}>
            Cancel
          </Button>
        </Box>
      </Form>
    </Dialog>
  );
};
