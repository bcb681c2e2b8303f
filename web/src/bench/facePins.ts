// Where the pins stand on the face of a plug.

/** Middle of the pin with index `k` of `n`, on a face `size` px wide. */
export const pinAt = (shape: string, n: number, k: number, size: number): [number, number] => {
  const c = size / 2;
  // the face is drawn for 218 px and grows with its size
  const one = size / 218;
  const on = (r: number, a: number): [number, number] => [
    c + r * one * Math.cos(a),
    c + r * one * Math.sin(a),
  ];
  if (shape === "flat") return [c + (k - (n - 1) / 2) * Math.min(62 * one, (size - 60) / Math.max(1, n)), c];
  if (n === 2) return [c + (k === 0 ? -36 : 36) * one, c];
  if (n <= 3) return on(44, -Math.PI / 2 + (k * 2 * Math.PI) / n + Math.PI / 3);
  if (n <= 6) return on(58, -Math.PI / 2 + Math.PI / n + (k * 2 * Math.PI) / n);
  // three thick ones inside, the rest around
  if (k < 3) return on(27, -Math.PI / 2 + (k * 2 * Math.PI) / 3);
  return on(72, -Math.PI / 2 + Math.PI / (n - 3) + ((k - 3) * 2 * Math.PI) / (n - 3));
};
