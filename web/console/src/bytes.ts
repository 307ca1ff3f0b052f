/** A number of bytes for people, in units of a thousand. */
export function bytes(count: number): string {
  if (count < 1_000) return `${count} B`;
  if (count < 100_000) return `${(count / 1e3).toFixed(1)} kB`;
  if (count < 1_000_000) return `${(count / 1e3).toFixed(0)} kB`;
  if (count < 1_000_000_000) return `${(count / 1e6).toFixed(2)} MB`;
  return `${(count / 1e9).toFixed(1)} GB`;
}

/** A share in percent for people; a dash where there is none. */
export function percent(share: number | null | undefined): string {
  return share == null ? "–" : `${share.toFixed(share > 0 && share < 9.95 ? 1 : 0)}%`;
}
