import { bytes } from "../bytes";
import { costOn, type Finding, nameOf } from "./report";

interface Group {
  findings: Finding[];
  bytes: number;
  ms: number;
  broken: boolean;
}

/** What was found on a device, by element, worst first; each opens to its reasons and its one fix. */
export function FindingList({ findings, device }: { findings: Finding[]; device: string }) {
  const groups = grouped(findings.filter((finding) => costOn(finding, device)), device);
  if (groups.length === 0) return <p className="quiet">Nothing to fix was found on this device.</p>;
  return (
    <div className="findings">
      {groups.map(({ findings: [first, ...others], bytes: sum, ms }) => first && (
        <details key={first.element.path}>
          <summary>
            <span className="cost">{sum > 0 ? bytes(sum) : ms > 0 ? `${ms.toFixed(0)} ms` : ""}</span>
            <b>{first.url === "" || first.url.startsWith("data:") ? first.element.tag : nameOf(first.url)}</b>{" "}
            <code>{first.element.selector}</code>
            {first.element.line !== undefined && <span className="quiet"> line {first.element.line}</span>}
            <div className="codes quiet">{[first, ...others].map(({ code }) => code).join(", ")}</div>
          </summary>
          <ul>
            {[first, ...others].map((finding) => (
              <li key={finding.code}><b>{finding.code}</b>{overlaps(finding, device) && " (of the same bytes)"}: {finding.why}</li>
            ))}
          </ul>
          <pre>{first.fix}</pre>
        </details>
      ))}
    </div>
  );
}

/** Findings by element, broken pictures first, then by what they cost. */
function grouped(findings: Finding[], device: string): Group[] {
  const groups = new Map<string, Group>();
  for (const finding of findings) {
    const cost = costOn(finding, device) ?? { bytes: 0, ms: 0 };
    const group = groups.get(finding.element.path) ?? { findings: [], bytes: 0, ms: 0, broken: false };
    group.findings.push(finding);
    group.bytes += cost.bytes;
    group.ms = Math.max(group.ms, cost.ms);
    group.broken ||= finding.code === "broken-picture";
    groups.set(finding.element.path, group);
  }
  return [...groups.values()].sort((a, b) => Number(b.broken) - Number(a.broken) || b.bytes - a.bytes || b.ms - a.ms);
}

/** True if another finding about the same picture counts all of its bytes. */
function overlaps(finding: Finding, device: string): boolean {
  const cost = finding.costs.find((one) => one.device === device);
  return cost !== undefined && (cost.bytes ?? 0) === 0 && (cost.overlap ?? 0) > 0;
}
