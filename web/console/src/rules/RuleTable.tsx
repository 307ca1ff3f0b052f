import { Button, Checkbox, Input, InputNumber, Select } from "antd";
import type { RuleDocument } from "./queries";

interface Props {
  rules: RuleDocument[];
  places: string[];
  onChange: (rules: RuleDocument[]) => void;
}

/** A rule may say one pattern or several. */
const patterns = (said: RuleDocument["pages"]) => [said ?? []].flat().join(", ");
/** Commas within braces belong to a pattern: `*.{jpg,png}`. */
const read = (text: string) => text.split(/,(?![^{]*\})/).map((one) => one.trim()).filter(Boolean);
const options = (names: string[]) => names.map((name) => ({ value: name, label: name }));

/** The rules in their order: one that leaves wins, of the others the first that fits. */
export function RuleTable({ rules, places, onChange }: Props) {
  const change = (at: number, change: Partial<RuleDocument>) => {
    onChange(rules.map((one, number) => (number === at ? { ...one, ...change } : one)));
  };
  /** Up by one. */
  const raise = (at: number) => {
    onChange([...rules.slice(0, at - 1), ...rules.slice(at, at + 1), ...rules.slice(at - 1, at), ...rules.slice(at + 1)]);
  };
  return (
    <>
      {rules.length === 0 && <p className="quiet">No rule yet: pictures stay as they are.</p>}
      {rules.length > 0 && (
        <table className="plain rules">
          <thead>
            <tr>
              <th className="number">rule</th>
              <th>of</th>
              <th>selector</th>
              <th>pages</th>
              <th>files</th>
              <th>leave</th>
              <th>place</th>
              <th>loading</th>
              <th>near</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {rules.map((rule, at) => (
              // A rule is known by where it stands: its order counts.
              <tr key={at}>
                <td className="number">{at + 1}</td>
                <td>
                  <Select
                    aria-label={`Of, rule ${at + 1}`}
                    value={rule.of ?? "picture"}
                    options={options(["picture", "background", "embed", "link"])}
                    onChange={(of) => { change(at, { of: of === "picture" ? null : of }); }}
                  />
                </td>
                <td>
                  <Input
                    aria-label={`Selector, rule ${at + 1}`}
                    placeholder="any"
                    spellCheck={false}
                    value={rule.select ?? ""}
                    onChange={(event) => { change(at, { select: event.target.value || null }); }}
                  />
                </td>
                <td>
                  <Patterns label={`Pages, rule ${at + 1}`} value={patterns(rule.pages)} onChange={(pages) => { change(at, { pages }); }} />
                </td>
                <td>
                  <Patterns label={`Files, rule ${at + 1}`} value={patterns(rule.files)} onChange={(files) => { change(at, { files }); }} />
                </td>
                <td>
                  <Checkbox
                    aria-label={`Leave, rule ${at + 1}`}
                    checked={rule.leave ?? false}
                    onChange={(event) => { change(at, { leave: event.target.checked }); }}
                  />
                </td>
                <td>
                  <Select
                    allowClear
                    aria-label={`Place, rule ${at + 1}`}
                    placeholder="none"
                    value={rule.place ?? null}
                    options={options(places)}
                    onChange={(place: string | null | undefined) => { change(at, { place: place ?? null }); }}
                  />
                </td>
                <td>
                  <Select
                    allowClear
                    aria-label={`Loading, rule ${at + 1}`}
                    placeholder="the place's"
                    value={rule.loading ?? null}
                    options={options(["first", "near", "later", "hidden"])}
                    onChange={(loading: string | null | undefined) => { change(at, { loading: loading ?? null }); }}
                  />
                </td>
                <td>
                  <InputNumber
                    aria-label={`Near at the top, rule ${at + 1}`}
                    min={0}
                    value={rule.near ?? null}
                    onChange={(near) => { change(at, { near }); }}
                  />
                </td>
                <td className="acts">
                  <Button size="small" type="text" aria-label={`Raise rule ${at + 1}`} disabled={at === 0} onClick={() => { raise(at); }}>↑</Button>
                  <Button
                    size="small"
                    type="text"
                    aria-label={`Remove rule ${at + 1}`}
                    onClick={() => { onChange(rules.filter((_, number) => number !== at)); }}
                  >
                    ×
                  </Button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <Button size="small" onClick={() => { onChange([...rules, {}]); }}>Another rule</Button>
    </>
  );
}

/** Patterns between commas; read when the field is left, so that a comma can be typed. */
function Patterns({ label, value, onChange }: { label: string; value: string; onChange: (patterns: string[]) => void }) {
  return (
    <Input
      key={value}
      aria-label={label}
      placeholder="all"
      spellCheck={false}
      defaultValue={value}
      onBlur={(event) => { if (event.target.value !== value) onChange(read(event.target.value)); }}
    />
  );
}
