/** 1973 B, 12 KiB, 3.4 MiB. */
export function bytes(n: number): string {
  if (n < 10_000) return `${n} B`;
  if (n < 1 << 20) return `${Math.round(n / 1024)} KiB`;
  return `${(n / (1 << 20)).toFixed(1)} MiB`;
}
