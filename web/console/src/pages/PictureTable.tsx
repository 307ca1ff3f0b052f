import { bytes } from "../bytes";
import { nameOf, type DeviceReport, type PictureRow } from "./report";

const SIDE = 84;

/** Every picture on a device: what is shown of it, its pixels over the screen's at one scale, its bytes. */
export function PictureTable({ device, thumbnails }: { device: DeviceReport; thumbnails: Record<string, string> }) {
  const max = Math.max(...device.pictures.map(({ sent, needed }) => Math.max(sent, needed)), 1);
  // Crops differ between devices.
  const seen = ({ url }: PictureRow) => thumbnails[`${device.device} ${url}`];
  return (
    <table className="plain">
      <thead>
        <tr>
          <th>shown</th>
          <th>picture</th>
          <th>file, and what is seen of it</th>
          <th>bytes</th>
          <th>asked for</th>
        </tr>
      </thead>
      <tbody>
        {device.pictures.map((row) => (
          <tr key={`${row.selector} ${row.url}`}>
            <td className="thumb">{seen(row) && <img src={seen(row)} alt="" />}</td>
            <td>
              <b>{nameOf(row.url)}</b>
              <div className="quiet"><code>{row.selector}</code></div>
            </td>
            <td><ToScale row={row} /></td>
            <td className="weights">
              <div><i className="sent" style={{ width: `${(row.sent / max) * 110}px` }} /> {bytes(row.sent)}</div>
              <div><i className="needed" style={{ width: `${(row.needed / max) * 110}px` }} /> {bytes(row.needed)} {row.neededFormat}</div>
            </td>
            <td>
              {row.beforeScroll ? (row.inView ? "at once, in view" : "at once, not in view") : "on scrolling"}
              <div className="quiet">{row.priority} {row.startMs !== undefined && `after ${row.startMs} ms`}</div>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function ToScale({ row }: { row: PictureRow }) {
  const [width, height] = row.natural;
  const [across, down] = row.seenPixels;
  // A vector has no pixels of its own.
  if (row.format === "svg") return <span className="quiet">a drawing, at any size</span>;
  if (width === 0) return <span className="quiet">not known</span>;
  const scale = SIDE / Math.max(width, height, across, down, 1);
  return (
    <div className="to-scale">
      <svg width={SIDE} height={Math.max(4, Math.max(height, down) * scale)} aria-hidden="true">
        <rect className="file" width={width * scale} height={height * scale} />
        <rect className="seen" width={across * scale} height={down * scale} />
      </svg>
      <div className="quiet">
        {width} × {height}
        <br />
        {across} × {down}
        {row.cut > 0.005 && <>, {(row.cut * 100).toFixed(0)}% cut away</>}
      </div>
    </div>
  );
}
