import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import { useState } from "react";
import { commandsNow, useCommands, type Command } from "./commands";
import { command } from "./keys";
import { Key } from "./parts";
import { Table } from "./Table";

const printed = (key: string): string =>
  ({ ArrowUp: "Up", ArrowDown: "Down", Escape: "Esc", " ": "Space" })[key] ??
  (key.length === 1 ? key.toUpperCase() : key);

/** What the keys do on this screen just now: behind the question mark. */
export const KeysNow = () => {
  const [shown, setShown] = useState<Command[]>();
  useCommands([
    command("keys.show", () => {
      setShown(commandsNow());
    }),
  ]);
  const close = () => {
    setShown(undefined);
  };
  return (
    <Dialog open={shown !== undefined} onClose={close} aria-label="Keys on this screen" data-keys-now>
      <Box sx={{ p: 2.5, minWidth: 340 }}>
        <Box component="h1" sx={{ m: 0, mb: 1.5, fontSize: 22, fontWeight: 750 }}>
          Keys on this screen
        </Box>
        <Table sx={{ fontSize: 16.5 }}>
          <tbody>
            {(shown ?? []).map((c) => (
              <tr key={c.keys.join()}>
                <td>
                  {c.keys.map((k) => (
                    <Box component="span" key={k} sx={{ mr: 0.6 }}>
                      <Key>{printed(k)}</Key>
                    </Box>
                  ))}
                </td>
                <td>{c.name}</td>
              </tr>
            ))}
          </tbody>
        </Table>
        <Button onClick={close} sx={{ mt: 2 }} autoFocus>
          Back
        </Button>
      </Box>
    </Dialog>
  );
};
