import Box from "@mui/material/Box";
import { useState, type ReactNode } from "react";
import { Plain, number } from "../ui/form";
import { v } from "../theme/tokens";
import { ErrorLine } from "../ui/parts";
import { Table } from "../ui/Table";

/** A figure without the noise of binary fractions. */
export const figure = (x: number): string => String(Math.round(x * 1000) / 1000);

/** Figures of this vehicle beside the usual ones, each with where it is known from. */
export const Figures = ({ caption, children }: { caption: string; children: ReactNode }) => (
  <Table>
    <caption>{caption}</caption>
    <thead>
      <tr>
        <th>
          <Box component="span" sx={{ position: "absolute", left: -9999 }}>
            Figure
          </Box>
        </th>
        <th className="n">Usual</th>
        <th className="n">Here</th>
        <th>From</th>
      </tr>
    </thead>
    <tbody>{children}</tbody>
  </Table>
);

/** One figure: what is typed is saved on leaving the field. */
export const Row = ({
  id,
  name,
  unit,
  usual,
  value,
  source,
  changed,
  note,
  caution,
  closed,
  onSet,
}: {
  id: string;
  name: string;
  unit: string;
  usual: number;
  value: number;
  source: string;
  changed: boolean;
  note?: string;
  /** What is wrong with it. */
  caution?: string;
  closed: boolean;
  onSet: (value: number) => void;
}) => {
  const [text, setText] = useState(figure(value));
  const [wrong, setWrong] = useState<string>();
  const save = () => {
    const typed = number(text);
    if (Number.isFinite(typed)) {
      if (typed !== value && text !== figure(value)) onSet(typed);
    } else if (text.trim() === "") setText(figure(value));
    else setWrong(`“${text}” is no figure in ${unit}. Write it as ${figure(usual)}.`);
  };
  return (
    <tr data-figure={id}>
      <td>
        {name}
        {note !== undefined && (
          <Box component="span" sx={{ ml: 1, fontSize: 14, color: v("ink2") }}>
            {note}
          </Box>
        )}
        {(wrong ?? caution) !== undefined && <ErrorLine tight>{wrong ?? caution}</ErrorLine>}
      </td>
      <td className="n">
        {figure(usual)} {unit}
      </td>
      <td className="n">
        <Plain
          label={`${name}, ${unit}`}
          value={text}
          onChange={(typed) => {
            setText(typed);
            setWrong(undefined);
          }}
          onDone={save}
          disabled={closed}
          mode="decimal"
          sx={{ ...FIGURE, width: 92, borderWidth: changed ? "2.5px" : "1.5px" }}
        />{" "}
        {unit}
      </td>
      <Box component="td" sx={{ color: v("ink2"), fontSize: 15, width: 84 }} data-from>
        {changed ? source || "not said" : ""}
      </Box>
    </tr>
  );
};

/** Style of a field that holds one figure. */
export const FIGURE = { fontSize: 17, fontWeight: 650, textAlign: "right", px: 0.8 } as const;
