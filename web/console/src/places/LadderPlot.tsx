import type { LayoutPreview } from "./queries";

const WIDTH = 640;
const HEIGHT = 300;
const LEFT = 46;
const BOTTOM = 38;
const TOP = 10;

/** Levels closer than this share one label. */
const LABEL = 12;

/** The viewports worth drawing: those of the screens, and a little beyond. */
function range(layout: LayoutPreview): [number, number] {
  const all = layout.screens.map(({ viewport }) => viewport);
  return all.length > 0 ? [Math.min(...all) * 0.88, Math.max(...all) * 1.02] : [280, 2600];
}

/**
 * What a layout needs and gets: shown width over viewport width as a line, every screen's need in device pixels as a
 * dot, the candidates as levels, and between each dot and the level it takes the surplus.
 */
export function LadderPlot({ layout }: { layout: LayoutPreview }) {
  const steps = layout.ladder.steps.map(({ width }) => width);
  const [from, to] = range(layout);
  const shown = layout.shown.filter(([viewport = 0]) => viewport >= from && viewport <= to);
  const top = Math.max(...steps, ...layout.screens.map(({ needed }) => needed), ...shown.map(([, width = 0]) => width)) * 1.06;
  const x = (viewport: number) => LEFT + ((viewport - from) / (to - from)) * (WIDTH - LEFT - 8);
  const y = (pixels: number) => HEIGHT - BOTTOM - (pixels / top) * (HEIGHT - BOTTOM - TOP);
  const line = shown.map(([viewport = 0, width = 0]) => `${x(viewport).toFixed(1)},${y(width).toFixed(1)}`).join(" ");
  const isLabelled = (at: number) => at + 1 === steps.length || y(steps[at] ?? 0) - y(steps[at + 1] ?? 0) >= LABEL;
  return (
    <svg className="ladder" viewBox={`0 0 ${WIDTH} ${HEIGHT}`} role="img" aria-label="Shown width, needs and candidates over viewport width">
      {steps.map((step, at) => (
        <g key={step} className="step">
          <line x1={LEFT} x2={WIDTH - 8} y1={y(step)} y2={y(step)} />
          {isLabelled(at) && <text x={LEFT - 6} y={y(step) + 4} textAnchor="end">{step}</text>}
        </g>
      ))}
      {layout.screens.map(({ viewport, density, needed, taken }) => (
        <rect
          key={`${viewport} ${density}`}
          className={taken < needed ? "short" : "surplus"}
          x={x(viewport) - 3}
          width={6}
          y={y(Math.max(taken, needed))}
          height={Math.max(Math.abs(y(needed) - y(taken)), 0.5)}
        />
      ))}
      <polyline className="shown" points={line} />
      {layout.screens.map(({ viewport, density, share, needed }) => (
        <circle key={`${viewport} ${density}`} cx={x(viewport)} cy={y(needed)} r={2 + Math.sqrt(share) * 14}>
          <title>{`${viewport} px wide at ${density}x, ${(share * 100).toFixed(0)}% of views: needs ${needed.toFixed(0)} px`}</title>
        </circle>
      ))}
      {(to < 600 ? [320, 360, 390, 412, 430] : [320, 800, 1280, 1920, 2560]).filter((viewport) => viewport >= from && viewport <= to).map((viewport) => (
        <text key={viewport} x={x(viewport)} y={HEIGHT - 20} textAnchor="middle">{viewport}</text>
      ))}
      <text x={WIDTH - 8} y={HEIGHT - 5} textAnchor="end">viewport, CSS px</text>
    </svg>
  );
}
