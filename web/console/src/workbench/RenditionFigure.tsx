import { bytes } from "../bytes";
import type { Rendition } from "./renditionQuery";

interface Props {
  rendition: Rendition;
  density: number;
  /** Its bytes as a share of the heaviest beside it. */
  share: number;
}

/** One rendition at the size a page would show it, with its price. */
export function RenditionFigure({ rendition, density, share }: Props) {
  const { format, picture, width, height, took, hit, address } = rendition;
  return (
    <figure data-format={format}>
      <div className="view">
        <img src={picture} alt={`rendition as ${format}`} width={width / density} height={height / density} />
      </div>
      <div className="weight" style={{ width: `${share * 100}%` }} />
      <figcaption>
        <a className="format" href={address} target="_blank" rel="noreferrer">
          {format}
        </a>
        <span className="bytes">{bytes(rendition.bytes)}</span>
        <span className="quiet">
          {width} × {height}
        </span>
        <span className="quiet">{hit ? `hit, ${took.toFixed(1)} ms` : `made in ${took.toFixed(0)} ms`}</span>
      </figcaption>
    </figure>
  );
}
