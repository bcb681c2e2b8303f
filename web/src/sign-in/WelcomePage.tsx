import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, take } from "../api/client";
import { Line } from "../ui/form";
import { ErrorLine, KeyedCard } from "../ui/parts";
import { Mark } from "../ui/Mark";

/** A one-time link: the first owner chooses a name, everybody a password. */
export const WelcomePage = () => {
  const token = window.location.hash.slice(1);
  const client = useQueryClient();
  const [name, setName] = useState("");
  const [password, setPassword] = useState("");
  const [again, setAgain] = useState("");
  const [error, setError] = useState<string>();
  const [busy, setBusy] = useState(false);
  const invited = useQuery({
    queryKey: ["invited", token],
    retry: false,
    queryFn: () => take(api.POST("/invitation", { body: { token } })),
  });
  const first = invited.data !== undefined && invited.data.name == null;
  const send = async () => {
    setError(undefined);
    if (password !== again) {
      setError("The two passwords are not the same.");
      return;
    }
    setBusy(true);
    try {
      await take(api.PUT("/invitation", { body: { token, name, password } }));
      const me = await take(api.POST("/session", { body: { name: invited.data?.name ?? name, password } }));
      client.setQueryData(["me"], me);
      // the secret leaves the address with the page
      window.location.assign("/");
    } catch (x) {
      setError(x instanceof Error ? x.message : String(x));
      setBusy(false);
    }
  };
  return (
    <Box sx={{ minHeight: "100vh", display: "grid", placeItems: "center", p: 2 }}>
      <Box sx={{ width: 460, maxWidth: "100%" }}>
        <Box sx={{ display: "flex", gap: 1.5, alignItems: "center", mb: 3, fontSize: 30, fontWeight: 750 }}>
          <Mark size={52} /> Spannung
        </Box>
        <KeyedCard label="Welcome">
          <Box
            component="form"
            data-form="welcome"
            onSubmit={(e: React.FormEvent) => {
              e.preventDefault();
              void send();
            }}
            sx={{ p: 3, display: "grid", gap: 2 }}
          >
            {invited.error ? (
              <ErrorLine>
                This link cannot be used: it was used already, is older than three days, or is not whole. Ask
                the owner for a new one.
              </ErrorLine>
            ) : invited.data === undefined ? (
              "Looking at the link"
            ) : (
              <>
                <Box component="h1" sx={{ m: 0, fontSize: 24, fontWeight: 750 }}>
                  {first ? "The first owner of this shop" : `Welcome, ${invited.data.name ?? ""}`}
                </Box>
                {first && <Line label="Your name" name="name" value={name} onChange={setName} autoFocus />}
                <Line
                  label="Password, 10 letters or more"
                  name="password"
                  type="password"
                  value={password}
                  onChange={setPassword}
                  hint="Three or four words are good."
                />
                <Line label="The same again" name="again" type="password" value={again} onChange={setAgain} />
                {error !== undefined && <ErrorLine>{error}</ErrorLine>}
                <Button
                  type="submit"
                  variant="contained"
                  disabled={busy || password === "" || (first && name.trim() === "")}
                  data-welcome
                >
                  {first ? "Open the shop" : "Set the password"}
                </Button>
              </>
            )}
          </Box>
        </KeyedCard>
      </Box>
    </Box>
  );
};
