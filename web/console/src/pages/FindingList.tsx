import { bytes } from "../bytes";
import { costOn, type Finding } from "./report";

/** Findings on a device, most costly first; each opens to its reason and fix. */
export function FindingList({ findings, device }: { findings: Finding[]; device: string }) {
  const here = findings
    .map((finding) => ({ finding, cost: costOn(finding, device) }))
    .filter((one): one is { finding: Finding; cost: { bytes: number; ms: number } } => one.cost !== undefined)
    .sort((a, b) => b.cost.bytes - a.cost.bytes || b.cost.ms - a.cost.ms);
  if (here.length === 0) return <p className="quiet">Nothing to fix was found on this device.</p>;
  return (
    <div className="findings">
      {here.map(({ finding, cost }) => (
        <details key={`${finding.code} ${finding.element.path}`}>
          <summary>
            <span className="cost">{cost.bytes > 0 ? bytes(cost.bytes) : cost.ms > 0 ? `${cost.ms.toFixed(0)} ms` : ""}</span>
            <b>{finding.code}</b> <code>{finding.element.selector}</code>
            {finding.element.line !== undefined && <span className="quiet"> line {finding.element.line}</span>}
          </summary>
          <p>{finding.why}</p>
          <pre>{finding.fix}</pre>
        </details>
      ))}
    </div>
  );
}
