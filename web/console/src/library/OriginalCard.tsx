import { Link } from "react-router";
import type { FactsResponse, OriginalResponse } from "../api/client";
import { bytes } from "../bytes";

/** One original: its look, made by Kivet, and its facts. */
export function OriginalCard({ original }: { original: OriginalResponse }) {
  const { id, address, facts, problem } = original;
  const path = id.slice(id.indexOf("/") + 1);
  const about = (
    <div className="about">
      <div className="path" title={id}>
        {path}
      </div>
      {facts && (
        <div className="quiet">
          {facts.width} × {facts.height} · {bytes(facts.bytes)}
        </div>
      )}
      <div className="marks">{facts && marksOf(facts).map((mark) => <span key={mark} className="mark">{mark}</span>)}</div>
    </div>
  );
  if (problem || !facts) {
    return (
      <div className="original">
        <div className="view quiet" style={{ padding: "0 14px", textAlign: "center" }}>
          {problem}
        </div>
        {about}
      </div>
    );
  }
  return (
    <Link className="original" to={`/workbench?original=${encodeURIComponent(id)}`}>
      <div className="view">
        <img
          src={`/pic/320w_150h_contain/${address}`}
          srcSet={`/pic/320w_150h_contain/${address} 1x, /pic/320w_150h_2x_contain/${address} 2x`}
          alt={path}
          loading="lazy"
        />
      </div>
      {about}
    </Link>
  );
}

/** What sets an original apart, in a word each. */
function marksOf(facts: FactsResponse): string[] {
  return [
    facts.format,
    facts.kind,
    facts.alpha && "alpha channel",
    facts.animated && "animated",
    facts.orientation !== 1 && `stored turned (${facts.orientation})`,
    facts.profile,
  ].filter((mark): mark is string => typeof mark === "string");
}
