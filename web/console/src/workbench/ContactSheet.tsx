import { useQueries } from "@tanstack/react-query";
import type { Clauses, RecipeResponse } from "../api/client";
import { recipeText } from "./recipeText";
import { RenditionFigure } from "./RenditionFigure";
import { renditionQuery } from "./renditionQuery";

interface Props {
  address: string;
  clauses: Clauses;
  outcome: NonNullable<RecipeResponse["outcome"]>;
}

type Format = NonNullable<Clauses["format"]>;

const FORMATS: Format[] = ["avif", "webp", "jpeg", "png"];
const EXACT: Format[] = ["webp", "png"];

/** The renditions of one recipe in several formats, at shown size, fewest bytes first. */
export function ContactSheet({ address, clauses, outcome }: Props) {
  const formats = clauses.format ? [clauses.format] : clauses.lossless ? EXACT : FORMATS;
  const results = useQueries({
    queries: formats.map((format) => renditionQuery(recipeText({ ...clauses, format }), address)),
  });
  const made = results.flatMap((result) => (result.data ? [result.data] : [])).sort((a, b) => a.bytes - b.bytes);
  const heaviest = made.at(-1)?.bytes ?? 1;
  const failed = results.find((result) => result.error)?.error;
  const density = clauses.density ?? 1;
  return (
    <div>
      <p style={{ margin: "0 0 12px" }}>
        {outcome.width} × {outcome.height} pixels
        {density !== 1 && <span className="quiet">, shown {Math.round(outcome.width / density)} wide</span>}
        {outcome.requestedSize && (
          <span className="quiet">
            {" "}
            — {outcome.requestedSize.join(" × ")} was asked for; nothing is enlarged beyond the original
          </span>
        )}
      </p>
      {failed && <p role="alert">{failed.message}</p>}
      <div className="sheet">
        {made.map((rendition) => (
          <RenditionFigure key={rendition.address} rendition={rendition} density={density} share={rendition.bytes / heaviest} />
        ))}
      </div>
    </div>
  );
}
