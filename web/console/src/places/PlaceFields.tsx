import { Button, Checkbox, Input, InputNumber, Select } from "antd";
import type { AlternativeDocument, PlaceDocument } from "./queries";

interface Props {
  place: PlaceDocument;
  onChange: (change: Partial<PlaceDocument>) => void;
}

/** Empty text removes the setting. */
const text = (value: string) => value || null;

/** The place by hand: each field is one key. */
export function PlaceFields({ place, onChange }: Props) {
  const alternatives = place.alternatives ?? [];
  const change = (at: number, change: Partial<AlternativeDocument>) => {
    onChange({ alternatives: alternatives.map((one, number) => (number === at ? { ...one, ...change } : one)) });
  };
  return (
    <>
      <div className="field">
        <label htmlFor="sizes">Shown width (<code>sizes</code>)</label>
        <Input.TextArea
          id="sizes"
          autoSize
          spellCheck={false}
          value={place.sizes}
          onChange={(event) => { onChange({ sizes: event.target.value }); }}
        />
      </div>
      <div className="row">
        <label htmlFor="ratio">Ratio</label>
        <Input id="ratio" placeholder="its own" value={place.ratio ?? ""} onChange={(event) => { onChange({ ratio: text(event.target.value) }); }} />
      </div>
      <div className="row">
        <label htmlFor="fit">Fit</label>
        <Select
          id="fit"
          allowClear
          placeholder="cover"
          disabled={!place.ratio}
          value={place.fit ?? null}
          options={["cover", "contain", "fill", "scale-down"].map((fit) => ({ value: fit, label: fit }))}
          onChange={(fit: string | null | undefined) => { onChange({ fit: fit ?? null }); }}
        />
      </div>
      <div className="row">
        <label htmlFor="position">Keeps</label>
        <Input
          id="position"
          placeholder="the focal point, else the subject"
          disabled={!place.ratio}
          value={place.position ?? ""}
          onChange={(event) => { onChange({ position: text(event.target.value) }); }}
        />
      </div>
      <div className="row">
        <label htmlFor="fidelity">Fidelity</label>
        <InputNumber id="fidelity" min={1} max={100} placeholder="80" value={place.fidelity ?? null} onChange={(fidelity) => { onChange({ fidelity }); }} />
      </div>
      <div className="row">
        <label htmlFor="cap">Density up to</label>
        <InputNumber id="cap" min={1} max={4} step={0.5} placeholder="any" value={place.densityCap ?? null} onChange={(densityCap) => { onChange({ densityCap }); }} />
      </div>
      <div className="row">
        <label htmlFor="loading">Loading</label>
        <Select
          id="loading"
          value={place.loading ?? "later"}
          options={[
            { value: "first", label: "first: the largest paint" },
            { value: "near", label: "near: above the fold" },
            { value: "later", label: "later: below it" },
            { value: "hidden", label: "hidden: until a click" },
          ]}
          onChange={(loading) => { onChange({ loading }); }}
        />
      </div>
      <div className="row">
        <label htmlFor="placeholder">Placeholder</label>
        <Select
          id="placeholder"
          value={place.placeholder ?? "none"}
          options={[...new Set(["none", "flat", "soft", place.placeholder ?? "none"])].map((one) => ({ value: one, label: one }))}
          onChange={(placeholder) => { onChange({ placeholder }); }}
        />
      </div>
      <div className="row">
        <span>Width</span>
        <Checkbox checked={place.autoSizes ?? false} onChange={(event) => { onChange({ autoSizes: event.target.checked }); }}>
          the layout makes it definite
        </Checkbox>
      </div>
      {alternatives.map((one, at) => (
        // An alternative is known by where it stands: its order counts.
        <fieldset key={at}>
          <legend>Where</legend>
          <Input aria-label="Media condition" placeholder="(max-width: 40em)" value={one.media} onChange={(event) => { change(at, { media: event.target.value }); }} />
          <Input aria-label="Sizes there" placeholder="the same width" value={one.sizes ?? ""} onChange={(event) => { change(at, { sizes: text(event.target.value) }); }} />
          <div className="row">
            <Input aria-label="Ratio there" placeholder="ratio" value={one.ratio ?? ""} onChange={(event) => { change(at, { ratio: text(event.target.value) }); }} />
            <Input aria-label="Position there" placeholder="keeps" value={one.position ?? ""} onChange={(event) => { change(at, { position: text(event.target.value) }); }} />
          </div>
          <Button size="small" type="link" onClick={() => { onChange({ alternatives: alternatives.filter((_, number) => number !== at) }); }}>
            Remove
          </Button>
        </fieldset>
      ))}
      <Button size="small" onClick={() => { onChange({ alternatives: [...alternatives, { media: "" }] }); }}>
        Another layout where …
      </Button>
    </>
  );
}
