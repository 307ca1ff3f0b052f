import { bytes, percent } from "../bytes";
import type { DeviceReport, Spread } from "./report";

/** What one device measured, with bytes sent and needed as bars on one scale. */
export function Measures({ device }: { device: DeviceReport }) {
  const { fit, sent, needed, requests, requestsBeforeScroll, largestMs, largest, shift, restored } = device;
  const max = Math.max(sent, needed, 1);
  const bar = (name: string, count: number) => (
    <div className="scale-row">
      <span>{name}</span>
      <div className={`scale-bar ${name}`} style={{ width: `${(count / max) * 100}%` }} />
      <b>{bytes(count)}</b>
    </div>
  );
  return (
    <div className="panel measures">
      <div className="scales">
        {bar("sent", sent)}
        {bar("needed", needed)}
      </div>
      <dl>
        <div><dt>fit</dt><dd>{percent(fit)}</dd></div>
        <div><dt>pictures before scroll</dt><dd>{requestsBeforeScroll} of {requests}</dd></div>
        {largestMs && <div><dt>largest paint</dt><dd>{spread(largestMs, 0)} ms</dd></div>}
        {shift && <div><dt>layout shift</dt><dd>{spread(shift, 3)}</dd></div>}
        {restored !== undefined && <div><dt>going back</dt><dd>{restored ? "instant" : "loads anew"}</dd></div>}
      </dl>
      {largest && largestMs && largest.url !== "" && (
        <p className="quiet">
          The largest paint, <code>{largest.selector}</code>: {largest.pageMs} ms for the page, {largest.discoveryMs} until it was
          asked for, {largest.downloadMs} downloading, {largest.renderMs} until it was painted
          {largest.blockedBy && <>, held up by <code>{largest.blockedBy}</code></>}.
        </p>
      )}
    </div>
  );
}

function spread({ median, min, max }: Spread, digits: number): string {
  const middle = median.toFixed(digits);
  return max > min ? `${middle} (${min.toFixed(digits)} to ${max.toFixed(digits)})` : middle;
}
