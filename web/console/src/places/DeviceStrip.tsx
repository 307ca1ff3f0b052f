import { bytes } from "../bytes";
import type { DevicePreview } from "./queries";

/** Pixels of a drawn device to a CSS pixel of its viewport. */
const SCALE = 0.085;

/** The picture on five devices: how wide it stands in each viewport, and what comes. */
export function DeviceStrip({ devices, address }: { devices: DevicePreview[]; address: string }) {
  return (
    <div className="devices">
      {devices.map(({ name, viewport, density, shown, recipe, size, bytes: expected }) => {
        const [across = 1, down = 1] = viewport;
        const [width = 1, height = 1] = size;
        return (
          <figure key={name}>
            <div className="device" style={{ width: across * SCALE, height: down * SCALE }}>
              <img src={`/pic/${recipe}/${address}`} alt="" style={{ width: shown * SCALE, aspectRatio: `${width} / ${height}` }} />
            </div>
            <figcaption>
              <b>{name}</b> {across} at {density}x<br />
              shown {shown.toFixed(0)} px<br />
              takes {width} × {height}<br />
              about {bytes(expected)}
            </figcaption>
          </figure>
        );
      })}
    </div>
  );
}
