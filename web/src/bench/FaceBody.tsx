import { v } from "../theme/tokens";

/** The housing of a plug as one looks at its face: a round one has its nose on top. */
export const FaceBody = ({ shape, size, tall }: { shape: string; size: number; tall: number }) => {
  const c = size / 2;
  return shape === "round" ? (
    <>
      <circle cx={c} cy={c} r={c - 8} fill={v("well")} stroke={v("ink")} strokeWidth="2.2" />
      <circle cx={c} cy={c} r={c - 17} fill={v("sheet")} stroke={v("ink")} strokeWidth="1.5" />
      <rect x={c - 11} y={0} width={22} height={16} fill={v("ink")} />
    </>
  ) : (
    <rect
      x={10}
      y={c - tall / 2}
      width={size - 20}
      height={tall}
      fill={v("sheet")}
      stroke={v("ink")}
      strokeWidth="2.2"
    />
  );
};
