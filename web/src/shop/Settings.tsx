import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, take, type Shop } from "../api/client";
import { useShop } from "../api/hooks";
import { confirmed } from "../people/confirm";
import { v } from "../theme/tokens";
import { Line, OneOf, Select, number } from "../ui/form";
import { amount, cents, dayAndTime, money } from "../ui/format";
import { ErrorLine, Heading, Tick } from "../ui/parts";

const ZONES = ["UTC", ...Intl.supportedValuesOf("timeZone").filter((z) => z !== "UTC")].map(
  (z) => [z, z.replaceAll("_", " ")] as const,
);

/** What bills are worked out with, and what stands on the report. */
export const Settings = () => {
  const shop = useShop();
  // above the form, which begins anew with every state that was kept
  const [kept, setKept] = useState(false);
  if (!shop.data) return shop.error ? <ErrorLine>{shop.error.message}</ErrorLine> : null;
  return <Edit shop={shop.data} kept={kept} setKept={setKept} key={JSON.stringify(shop.data)} />;
};

const Edit = ({ shop, kept, setKept }: { shop: Shop; kept: boolean; setKept: (kept: boolean) => void }) => {
  const client = useQueryClient();
  const t = shop.terms;
  const [name, setName] = useState(shop.name);
  const [address, setAddress] = useState(shop.address);
  const [rate, setRate] = useState(amount(t.rate_cents));
  const [step, setStep] = useState(String(t.step_minutes));
  const [least, setLeast] = useState(String(t.least_minutes));
  const [tax, setTax] = useState(String(t.tax_percent));
  const [small, setSmall] = useState(String(t.small_percent));
  const [floor, setFloor] = useState(amount(t.small_least_cents));
  const [currency, setCode] = useState(t.currency);
  const [comeback, setComeback] = useState(String(shop.comeback_days));
  const [idle, setIdle] = useState(String(shop.idle_minutes));
  const [zone, setZone] = useState(shop.time_zone);
  const [units, setUnits] = useState(shop.units);
  const bands = shop.bands as Record<string, number>;
  const [prices, setPrices] = useState<Record<string, string>>(
    Object.fromEntries(Object.entries(bands).map(([b, c]) => [b, amount(c)])),
  );
  const [error, setError] = useState<string>();
  const save = async () => {
    setError(undefined);
    setKept(false);
    const price = (text: string, what: string): number => {
      const c = cents(text);
      if (c === null) throw new Error(`“${text}” is no amount for ${what}. Write it as 56 or 56.50.`);
      return c;
    };
    const figure = (text: string, what: string): number => {
      const n = number(text);
      if (!Number.isFinite(n)) throw new Error(`“${text}” is no number for ${what}.`);
      return n;
    };
    try {
      const body: Shop = {
        name: name.trim(),
        address: address.trim(),
        terms: {
          rate_cents: price(rate, "labour per hour"),
          step_minutes: figure(step, "the step"),
          least_minutes: figure(least, "the least"),
          small_percent: figure(small, "consumables"),
          small_least_cents: price(floor, "consumables at least"),
          tax_percent: figure(tax, "the tax"),
          currency: currency.trim().toUpperCase(),
        },
        bands: Object.fromEntries(Object.entries(prices).map(([b, p]) => [b, price(p, `band ${b}`)])),
        comeback_days: figure(comeback, "the comeback period"),
        time_zone: zone,
        units,
        idle_minutes: figure(idle, "the idle time"),
      };
      await confirmed(() => take(api.PUT("/shop", { body })));
      await client.invalidateQueries({ queryKey: ["shop"] });
      await client.invalidateQueries({ queryKey: ["shop-history"] });
      setKept(true);
    } catch (x) {
      setError(x instanceof Error ? x.message : String(x));
    }
  };
  return (
    <Box component="section">
      <Heading note="old states stay; closed bills keep theirs">Shop</Heading>
      <Box
        component="form"
        data-form="shop"
        onSubmit={(e: React.FormEvent) => {
          e.preventDefault();
          void save();
        }}
        sx={{
          borderTop: `2px solid ${v("ink")}`,
          mt: 1,
          pt: 2,
          display: "grid",
          gridTemplateColumns: "1fr 1fr 1fr",
          gap: 1.5,
        }}
      >
        <Box sx={{ gridColumn: "span 3" }}>
          <Line label="Name on the report" name="shop-name" value={name} onChange={setName} />
        </Box>
        <Box sx={{ gridColumn: "span 3" }}>
          <Line label="Address line" name="shop-address" value={address} onChange={setAddress} />
        </Box>
        <Line
          label="Labour per hour, without tax"
          name="rate"
          value={rate}
          onChange={setRate}
          mode="decimal"
        />
        <Line label="Billed in steps of, min" name="step" value={step} onChange={setStep} mode="decimal" />
        <Line label="At least, min" value={least} onChange={setLeast} mode="decimal" />
        <Line label="Tax, %" name="tax" value={tax} onChange={setTax} mode="decimal" />
        <Line label="Consumables, % of labour" value={small} onChange={setSmall} mode="decimal" />
        <Line label="Consumables, at least" value={floor} onChange={setFloor} mode="decimal" />
        <Line label="Currency, three letters" name="currency" value={currency} onChange={setCode} />
        <Line label="Comeback within, days" name="comeback" value={comeback} onChange={setComeback} />
        <Line label="Signed out after, min" name="idle" value={idle} onChange={setIdle} />
        <Select
          label="Time zone"
          name="time-zone"
          value={zone}
          onChange={setZone}
          options={ZONES.some((z) => z[0] === zone) ? ZONES : [[zone, zone], ...ZONES]}
        />
        <Box sx={{ alignSelf: "center" }}>
          <OneOf
            label="Units"
            value={units}
            options={[
              ["metric", "Metric"],
              ["imperial", "Imperial"],
            ]}
            onPick={setUnits}
          />
        </Box>
        <Box sx={{ gridColumn: "span 3", fontSize: 15.5 }}>
          Price of a part by its band, for forecasts; without tax
        </Box>
        {Object.keys(prices)
          .filter((b) => b !== "0")
          .map((b) => (
            <Line
              key={b}
              label={`Band ${b}`}
              value={prices[b] ?? ""}
              onChange={(x) => {
                setPrices({ ...prices, [b]: x });
              }}
              mode="decimal"
            />
          ))}
        <Box sx={{ gridColumn: "span 3", display: "flex", gap: 1.5, alignItems: "center" }}>
          <Button type="submit" variant="contained" data-keep-shop>
            Save
          </Button>
          {kept && (
            <Box sx={{ display: "flex", gap: 0.5 }} role="status">
              <Tick /> kept
            </Box>
          )}
        </Box>
        {error !== undefined && (
          <Box sx={{ gridColumn: "span 3" }}>
            <ErrorLine>{error}</ErrorLine>
          </Box>
        )}
      </Box>
      <History />
    </Box>
  );
};

/** What was set before, by whom. */
const History = () => {
  const history = useQuery({
    queryKey: ["shop-history"],
    queryFn: () => take(api.GET("/shop/history")),
  });
  const all = history.data ?? [];
  if (all.length === 0) return null;
  return (
    <Box sx={{ mt: 3 }}>
      <Heading>Earlier settings</Heading>
      <Box sx={{ borderTop: `2px solid ${v("ink")}`, mt: 1, fontSize: 15.5 }}>
        {all.slice(0, 12).map((s) => (
          <Box
            key={s.at}
            data-setting
            sx={{ display: "flex", gap: 1.5, py: 0.8, borderBottom: `1px solid ${v("rule")}` }}
          >
            <Box sx={{ width: 130, flex: "none" }}>{dayAndTime(s.at)}</Box>
            <Box sx={{ width: 110, flex: "none" }}>{s.by}</Box>
            <Box>
              {money(s.shop.terms.rate_cents, s.shop.terms.currency)} per hour, steps of{" "}
              {s.shop.terms.step_minutes} min, tax {s.shop.terms.tax_percent} %, comeback{" "}
              {s.shop.comeback_days} days, {s.shop.time_zone}, {s.shop.units}
            </Box>
          </Box>
        ))}
      </Box>
    </Box>
  );
};
