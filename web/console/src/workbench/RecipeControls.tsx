import { Button, ColorPicker, InputNumber, Segmented, Select, Slider, Switch } from "antd";
import type { Clauses } from "../api/client";
import { PositionGrid } from "./PositionGrid";
import { canPlace } from "./recipeText";

interface Props {
  clauses: Clauses;
  onChange: (change: Partial<Clauses>) => void;
}

const RATIOS = ["1-1", "3-2", "4-3", "16-9", "21-9", "2-3", "9-16"];
const DEFAULT_FIDELITY = 80;

/** Offered to pick; any other clause of the kind can be typed. */
const EDITS = [
  "trim", "rotate-90", "rotate-180", "rotate-270", "flip-x", "flip-y", "blur-6", "saturate-150", "brightness-90", "contrast-110",
  "grayscale-100", "sepia-60", "hue-rotate-30", "sharpen-40", "pixelate-12", "still", "keep-credit", "keep-all",
];

/** The recipe by hand: each control is one clause. */
export function RecipeControls({ clauses, onChange }: Props) {
  const shaped = Boolean(clauses.ratio) || Boolean(clauses.width && clauses.height);
  const ratios = clauses.ratio && !RATIOS.includes(clauses.ratio) ? [clauses.ratio, ...RATIOS] : RATIOS;
  return (
    <>
      <div className="row">
        <label htmlFor="width">Width</label>
        <InputNumber id="width" min={1} max={16383} step={80} value={clauses.width ?? null} onChange={(width) => { onChange({ width }); }} />
      </div>
      <div className="row">
        <label htmlFor="height">Height</label>
        <InputNumber id="height" min={1} max={16383} step={80} value={clauses.height ?? null} onChange={(height) => { onChange({ height }); }} />
      </div>
      <div className="row">
        <label htmlFor="ratio">Ratio</label>
        <Select
          id="ratio"
          allowClear
          placeholder="as it is"
          value={clauses.ratio ?? null}
          options={ratios.map((ratio) => ({ value: ratio, label: ratio.replace("-", " : ") }))}
          onChange={(ratio?: string | null) => { onChange({ ratio: ratio ?? null }); }}
        />
      </div>
      <div className="row">
        <span>Density</span>
        <Segmented
          size="small"
          disabled={!clauses.width && !clauses.height}
          value={clauses.density ?? 0}
          options={[{ value: 0, label: "none" }, 1, 1.5, 2, 3].map((one) => (typeof one === "number" ? { value: one, label: `${one}x` } : one))}
          onChange={(density) => { onChange({ density: density || null }); }}
        />
      </div>
      <div className="row">
        <label htmlFor="fit">Fit</label>
        <Select
          id="fit"
          disabled={!shaped}
          value={clauses.fit ?? (shaped ? "cover" : null)}
          placeholder="needs a shape"
          options={["cover", "contain", "fill", "scale-down"].map((fit) => ({ value: fit, label: fit }))}
          onChange={(fit) => { onChange({ fit }); }}
        />
      </div>
      <div className="row">
        <span>Keep</span>
        <span>
          <PositionGrid value={clauses.position ?? ""} disabled={!canPlace(clauses)} onChange={(position) => { onChange({ position }); }} />
          {canPlace(clauses) && clauses.position && (
            <Button type="link" size="small" onClick={() => { onChange({ position: null }); }}>
              what the picture shows
            </Button>
          )}
        </span>
      </div>
      <div className="row">
        <label htmlFor="edits">Edits</label>
        <Select
          id="edits"
          mode="tags"
          placeholder="none"
          value={clauses.edits}
          options={EDITS.map((edit) => ({ value: edit, label: edit }))}
          tokenSeparators={["_", " ", ","]}
          onChange={(edits: string[]) => { onChange({ edits }); }}
        />
      </div>
      <div className="row">
        <span>Fidelity</span>
        <Slider
          min={1}
          max={100}
          disabled={clauses.lossless}
          marks={{ 50: "50", 80: "80" }}
          value={clauses.fidelity ?? DEFAULT_FIDELITY}
          onChange={(fidelity) => { onChange({ fidelity }); }}
        />
      </div>
      <div className="row">
        <label htmlFor="lossless">Lossless</label>
        <span>
          <Switch id="lossless" size="small" checked={clauses.lossless} onChange={(lossless) => { onChange({ lossless, fidelity: null }); }} />
        </span>
      </div>
      <div className="row">
        <span>Canvas</span>
        <span>
          <ColorPicker
            allowClear
            disabledAlpha
            size="small"
            showText={() => clauses.canvas ?? "none"}
            value={clauses.canvas && clauses.canvas !== "clear" ? `#${clauses.canvas}` : null}
            onClear={() => { onChange({ canvas: null }); }}
            onChangeComplete={(colour) => { onChange({ canvas: colour.toHex().slice(0, 6) }); }}
          />
        </span>
      </div>
    </>
  );
}
