import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Alert, Button, Spin } from "antd";
import { useState } from "react";
import { Trouble } from "../signin/Trouble";
import { placesQuery } from "../places/queries";
import { Addresses } from "./Addresses";
import { keepRules, type RulesDocument, rulesQuery } from "./queries";
import { RuleTable } from "./RuleTable";
import { Trial } from "./Trial";
import "./rules.css";

/** The rules by which pages are rewritten: loaded, then edited. */
export default function RulesPage() {
  const rules = useQuery(rulesQuery);
  const places = useQuery(placesQuery);
  const error = rules.error ?? places.error;
  if (error) return <Trouble error={error} />;
  if (!rules.data || !places.data) return <Spin />;
  const names = [...new Set([...places.data.map(({ name }) => name), ...Object.keys(rules.data.places ?? {})])];
  return <RulesEditor kept={rules.data} places={names} />;
}

/** The rules, and what they do to a page that is tried. */
function RulesEditor({ kept, places }: { kept: RulesDocument; places: string[] }) {
  const [document, setDocument] = useState(kept);
  const queries = useQueryClient();
  const keep = useMutation({
    mutationFn: () => keepRules(document),
    onSuccess: (now) => {
      queries.setQueryData(rulesQuery.queryKey, now);
      setDocument(now);
    },
  });
  const changed = JSON.stringify(document) !== JSON.stringify(kept);
  return (
    <>
      <div className="bar">
        <h1>Rules</h1>
        <Button type="primary" disabled={!changed} loading={keep.isPending} onClick={() => { keep.mutate(); }}>Keep</Button>
        <Button disabled={!changed} onClick={() => { setDocument(kept); }}>Discard changes</Button>
        <span className="quiet">
          Which pictures of your pages appear in which place. <code>kivet learn</code> writes them from a site, <code>kivet apply</code> rewrites by them.
          A selector is of the element or any around it; <i>near</i> is how many at the top of a page load at once.
        </span>
      </div>
      {keep.error && <Alert type="error" title={keep.error.message} style={{ marginBottom: 16 }} />}
      <RuleTable rules={document.rules ?? []} places={places} onChange={(rules) => { setDocument((now) => ({ ...now, rules })); }} />
      <Addresses addresses={document.addresses ?? {}} onChange={(addresses) => { setDocument((now) => ({ ...now, addresses })); }} />
      <Trial document={document} />
    </>
  );
}
