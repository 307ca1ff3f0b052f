import { useQuery } from "@tanstack/react-query";
import { Spin } from "antd";
import { bytes, percent } from "../bytes";
import { Trouble } from "../signin/Trouble";
import { againstQuery } from "./queries";
import type { Change, Finding } from "./report";

/** Before and after: the measures of a device on one scale, what was fixed and what is new. */
export function Changes({ id, earlier, device }: { id: number; earlier: number; device: string }) {
  const comparison = useQuery(againstQuery(id, earlier));
  if (comparison.error) return <Trouble error={comparison.error} />;
  const page = comparison.data?.pages[0];
  if (!page) return <Spin />;
  const change = page.devices.find((one) => one.device === device);
  const max = Math.max(...(change ? [...change.sent, ...change.needed] : []), 1);
  const pair = (name: string, [before, after]: [number, number]) => (
    <div className="pair">
      <span>{name}</span>
      <div>
        <i className="before" style={{ width: `${(before / max) * 100}%` }} />
        <i className="after" style={{ width: `${(after / max) * 100}%` }} />
      </div>
      <b>{bytes(before)}<br />{bytes(after)}</b>
    </div>
  );
  return (
    <>
      {comparison.data?.notes.map((note) => <p key={note} className="quiet">{note}</p>)}
      <div className="panel changes">
        <h2>Before and after</h2>
        {change && pair("sent", change.sent)}
        {change && pair("needed", change.needed)}
        <dl>
          {change && <div><dt>fit</dt><dd>{percent(change.fit[0])} to {percent(change.fit[1])}</dd></div>}
          {change && <div><dt>pictures before scroll</dt><dd>{change.requestsBeforeScroll[0]} to {change.requestsBeforeScroll[1]}</dd></div>}
          {change?.largestMs && <div><dt>largest paint, ms</dt><dd>{said(change.largestMs, 0)}</dd></div>}
          {change?.shift && <div><dt>layout shift</dt><dd>{said(change.shift, 3)}</dd></div>}
          <div><dt>findings kept</dt><dd>{page.kept}</dd></div>
        </dl>
      </div>
      <div className="two">
        <FindingColumn title="Fixed" findings={page.fixed} />
        <FindingColumn title="New or worse" findings={[...page.new, ...page.worse.map(({ finding }) => finding)]} />
      </div>
    </>
  );
}

/** A difference inside the spread of the runs is no gain, and is not called one. */
function said({ before, after, beyondSpread }: Change, digits: number): string {
  const text = `${before.median.toFixed(digits)} to ${after.median.toFixed(digits)}`;
  if (beyondSpread) return text;
  const single = before.min === before.max && after.min === after.max;
  return single ? `${text}, one run each` : `${text}, within the spread`;
}

function FindingColumn({ title, findings }: { title: string; findings: Finding[] }) {
  return (
    <section className="panel">
      <h2>{title}: {findings.length}</h2>
      <ul>
        {findings.map(({ code, element }) => (
          <li key={`${code} ${element.path}`}>
            <b>{code}</b> <code>{element.selector}</code>
          </li>
        ))}
      </ul>
    </section>
  );
}
