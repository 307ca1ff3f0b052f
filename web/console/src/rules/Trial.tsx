import { useQuery } from "@tanstack/react-query";
import { Alert, Input } from "antd";
import { useState } from "react";
import { useDebounced } from "../useDebounced";
import { type PictureChange, type RulesDocument, trialQuery } from "./queries";

const START = `<main>
  <figure><img src="/pictures/harbour/roofs.jpg" alt="Roofs of Port Ellery"></figure>
</main>
`;

/** A page's text, and what the rules make of it before they are kept. */
export function Trial({ document }: { document: RulesDocument }) {
  const [page, setPage] = useState("index.html");
  const [html, setHtml] = useState(START);
  const asked = useDebounced(document, 400);
  const text = useDebounced(html, 400);
  const trial = useQuery({ ...trialQuery(asked, page, text), enabled: page !== "" });
  return (
    <section className="trial">
      <h2>Try them on a page</h2>
      <div className="bar">
        <Input aria-label="Path of the page" style={{ width: 260 }} value={page} onChange={(event) => { setPage(event.target.value); }} />
        <span className="quiet">Paste the page&apos;s HTML, or a stylesheet with a path that ends in .css.</span>
      </div>
      <Input.TextArea aria-label="The page's HTML" spellCheck={false} autoSize={{ minRows: 4, maxRows: 14 }} value={html} onChange={(event) => { setHtml(event.target.value); }} />
      {trial.error && <Alert type="error" title={trial.error.message} style={{ marginTop: 12 }} />}
      {!trial.error && trial.data && (
        <>
          {trial.data.pictures.length === 0 && <p className="quiet">No picture, background, embed or link in it.</p>}
          {trial.data.pictures.length > 0 && (
            <table className="plain">
              <thead><tr><th className="number">line</th><th>address</th><th>becomes</th><th>decided by</th><th>what other rules said</th></tr></thead>
              <tbody>{trial.data.pictures.map((one, at) => <Changed key={at} change={one} />)}</tbody>
            </table>
          )}
          {trial.data.notes.map((note) => <p key={note} className="quiet">{note}</p>)}
          {trial.data.changed && <pre aria-label="The rewritten page">{trial.data.html}</pre>}
        </>
      )}
    </section>
  );
}

function Changed({ change }: { change: PictureChange }) {
  const others = change.verdicts.filter(({ verdict }) => verdict !== "wins");
  return (
    <tr>
      <td className="number">{change.line}</td>
      <td><code>{change.address}</code></td>
      <td>{change.stays ?? <>{change.original} in <b>{change.place}</b>, {change.loading}</>}</td>
      <td>{change.rule ? `rule ${change.rule}` : <span className="quiet">no rule</span>}</td>
      <td className="quiet">{others.map(({ rule, said }) => `${rule}: ${said}`).join("; ")}</td>
    </tr>
  );
}
