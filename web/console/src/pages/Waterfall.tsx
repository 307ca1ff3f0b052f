import { Segmented } from "antd";
import { useState } from "react";
import { bytes } from "../bytes";
import { nameOf, type DeviceReport, type ResourceRow } from "./report";

type Order = "as requested" | "by weight";

/** Every request of a page on one device: when it waited, when its bytes arrived, and what it weighs. */
export function Waterfall({ device }: { device: DeviceReport }) {
  const [order, setOrder] = useState<Order>("as requested");
  const rows = device.resources ?? [];
  if (rows.length === 0) return null;
  const marks = marksOf(device);
  const end = Math.max(1, ...rows.map(endOf), ...marks.map(({ ms }) => ms));
  const sorted = order === "by weight" ? [...rows].sort((one, other) => other.bytes - one.bytes) : rows;
  const share = (ms: number) => `${(ms / end) * 100}%`;
  return (
    <>
      <div className="bar tight">
        <h2>Requests</h2>
        <Segmented aria-label="Order" value={order} options={["as requested", "by weight"] satisfies Order[]} onChange={setOrder} />
        <span className="quiet">{kindsOf(rows)}</span>
      </div>
      <div className="waterfall" role="table" aria-label="Requests over time">
        <div className="waterfall-marks">
          {marks.map(({ name, ms }) => (
            <span key={name} className={ms > end * 0.8 ? "late" : undefined} style={{ left: share(ms) }}>{name} {ms.toFixed(0)} ms</span>
          ))}
        </div>
        {sorted.map((row, at) => (
          <div key={`${at} ${row.url}`} className="waterfall-row" role="row" title={told(row)}>
            <span className="waterfall-name" role="cell">{nameOf(row.url)}</span>
            <span className="quiet" role="cell">{row.kind}</span>
            <span className="number" role="cell">{bytes(row.bytes)}</span>
            <div className="waterfall-time" role="cell">
              {marks.map(({ name, ms }) => <i key={name} className="milestone" style={{ left: share(ms) }} />)}
              <i className="wait" style={{ left: share(row.startMs), width: share(responseOf(row) - row.startMs) }} />
              <i className={row.kind === "picture" ? "load picture" : "load"} style={{ left: share(responseOf(row)), width: share(endOf(row) - responseOf(row)) }} />
            </div>
          </div>
        ))}
      </div>
    </>
  );
}

const endOf = (row: ResourceRow) => Math.max(row.endMs, row.startMs);
const responseOf = (row: ResourceRow) => (row.responseMs > 0 ? Math.min(row.responseMs, endOf(row)) : endOf(row));

function marksOf({ milestones, largestMs }: DeviceReport): { name: string; ms: number }[] {
  const marks = [
    { name: "first paint", ms: milestones?.firstPaintMs },
    { name: "DOM ready", ms: milestones?.domMs },
    { name: "largest paint", ms: largestMs?.median },
    { name: "load", ms: milestones?.loadMs },
  ];
  return marks.flatMap(({ name, ms }) => (ms === undefined ? [] : [{ name, ms }])).sort((one, other) => one.ms - other.ms);
}

/** `1 document 2.4 kB · 13 picture 19.53 MB`. */
function kindsOf(rows: ResourceRow[]): string {
  const sums = new Map<string, { count: number; sent: number }>();
  for (const { kind, bytes: sent } of rows) {
    const sum = sums.get(kind) ?? { count: 0, sent: 0 };
    sums.set(kind, { count: sum.count + 1, sent: sum.sent + sent });
  }
  return [...sums].map(([kind, { count, sent }]) => `${count} ${kind} ${bytes(sent)}`).join(" · ");
}

function told(row: ResourceRow): string {
  const times = `requested at ${row.startMs} ms, response at ${responseOf(row)} ms, last byte at ${endOf(row)} ms`;
  return `${row.url}\n${row.kind}, ${row.priority} priority, status ${row.status}\n${times}\nrequested by ${row.startedBy ?? "the page"}`;
}
