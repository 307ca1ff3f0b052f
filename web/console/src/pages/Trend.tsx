/** Bytes sent over the checks of a page, with the bytes needed below: oldest at the left. */
export function Trend({ history }: { history: { sent: number; needed: number }[] }) {
  const [width, height, gap] = [120, 30, 2];
  const max = Math.max(...history.map(({ sent, needed }) => Math.max(sent, needed)), 1);
  const shown = history.slice(-24);
  const bar = Math.min(14, width / shown.length - gap);
  const scaled = (bytes: number) => Math.max(1, (bytes / max) * height);
  const sizes = shown.map(({ sent, needed }, at) => ({ x: at * (bar + gap), sent: scaled(sent), needed: scaled(needed) }));
  return (
    <svg className="trend" width={width} height={height} role="img" aria-label={`${shown.length} checks`}>
      {sizes.map(({ x, sent, needed }) => (
        <g key={x}>
          <rect className="sent" x={x} y={height - sent} width={bar} height={sent} />
          <rect className="needed" x={x} y={height - needed} width={bar} height={needed} />
        </g>
      ))}
    </svg>
  );
}
