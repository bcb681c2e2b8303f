import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { confirmed } from "../people/confirm";
import { api, take, type PersonView, type Role } from "../api/client";
import { useMe, usePeople } from "../api/hooks";
import { v } from "../theme/tokens";
import { Form, Line, Select } from "../ui/form";
import { dayAndTime } from "../ui/format";
import { ErrorLine, Heading } from "../ui/parts";

export const ROLES: [Role, string][] = [
  ["trainee", "Trainee"],
  ["technician", "Technician"],
  ["specialist", "Specialist"],
  ["owner", "Owner"],
];

interface Link {
  name: string;
  url: string;
  expires_at: string;
}

/** The people: added, changed, disabled, reset. Passwords are set by themselves, through a one-time link. */
export const People = () => {
  const people = usePeople();
  const me = useMe();
  const client = useQueryClient();
  const [name, setName] = useState("");
  const [role, setRole] = useState<Role>("technician");
  const [link, setLink] = useState<Link>();
  const [error, setError] = useState<string>();
  const act = async (f: () => Promise<void>) => {
    setError(undefined);
    try {
      await confirmed(f);
    } catch (x) {
      setError(x instanceof Error ? x.message : String(x));
    }
    await client.invalidateQueries({ queryKey: ["people"] });
  };
  const change = (p: PersonView, to: Partial<PersonView>) =>
    act(async () => {
      const next = { ...p, ...to };
      await take(
        api.PUT("/people/{id}", {
          params: { path: { id: p.id } },
          body: { name: next.name, role: next.role, disabled: next.disabled },
        }),
      );
    });
  return (
    <Box component="section">
      <Heading note="each sets the own password by a one-time link">People</Heading>
      <Box sx={{ borderTop: `2px solid ${v("ink")}`, mt: 1 }}>
        {(people.data ?? []).map((p) => (
          <Box
            key={p.id}
            data-person-row={p.name}
            data-disabled={p.disabled}
            sx={{
              display: "grid",
              gridTemplateColumns: "minmax(0, 1fr) 190px auto auto",
              gap: 1,
              alignItems: "center",
              minHeight: 60,
              borderBottom: `1px solid ${v("ruleStrong")}`,
            }}
          >
            <Box sx={{ minWidth: 0 }}>
              <b style={{ textDecoration: p.disabled ? "line-through" : "none" }}>{p.name}</b>
              <Box sx={{ fontSize: 14.5, color: v("ink2") }}>
                {p.disabled ? "cannot sign in" : p.has_code ? "has a short code" : "no short code yet"}
              </Box>
            </Box>
            <Select
              label={`Role of ${p.name}`}
              value={p.role}
              onChange={(x) => void change(p, { role: x as Role })}
              options={ROLES}
            />
            <Button
              onClick={() => void change(p, { disabled: !p.disabled })}
              sx={{ minHeight: 46, fontSize: 16 }}
              data-disable
            >
              {p.disabled ? "Enable" : "Disable"}
            </Button>
            <Button
              disabled={p.disabled || p.name === me.data?.name}
              onClick={() =>
                void act(async () => {
                  const made = await take(api.POST("/people/{id}/link", { params: { path: { id: p.id } } }));
                  setLink({ name: p.name, ...made });
                })
              }
              sx={{ minHeight: 46, fontSize: 16 }}
              data-reset
            >
              Reset
            </Button>
          </Box>
        ))}
      </Box>
      {link && (
        <Box
          sx={{ mt: 1.5, p: 1.6, border: `3px solid ${v("ink")}`, background: v("sheet"), fontSize: 16 }}
          data-link
        >
          For <b>{link.name}</b>, once, until {dayAndTime(link.expires_at)}. It is shown only now:
          <Box
            component="code"
            sx={{
              display: "block",
              mt: 0.8,
              fontFamily: "inherit",
              overflowWrap: "anywhere",
              fontWeight: 650,
            }}
          >
            {link.url}
          </Box>
        </Box>
      )}
      <Box sx={{ mt: 2 }}>
        <Form
          columns="1fr 220px auto"
          mark="person"
          onSend={() =>
            void act(async () => {
              const made = await take(
                api.POST("/people", { body: { id: crypto.randomUUID(), name: name.trim(), role } }),
              );
              setLink({ name: name.trim(), ...made });
              setName("");
            })
          }
        >
          <Line label="Name" name="person" value={name} onChange={setName} />
          <Select
            label="Role"
            value={role}
            onChange={(x) => {
              setRole(x as Role);
            }}
            options={ROLES}
          />
          <Button type="submit" disabled={name.trim() === ""} data-add-person>
            Add
          </Button>
        </Form>
      </Box>
      {error !== undefined && (
        <Box sx={{ mt: 1 }}>
          <ErrorLine>{error}</ErrorLine>
        </Box>
      )}
    </Box>
  );
};
