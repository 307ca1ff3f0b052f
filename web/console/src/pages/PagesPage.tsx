import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Alert, Button, Input, Spin } from "antd";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { bytes, percent } from "../bytes";
import { Trouble } from "../signin/Trouble";
import { checkNow, checksQuery } from "./queries";
import { Trend } from "./Trend";

/** The pages that were checked: what they send and need, and how that went over time. */
export default function PagesPage() {
  const checks = useQuery(checksQuery);
  const [address, setAddress] = useState(`${location.origin}/demo/site/index.html`);
  const queries = useQueryClient();
  const navigate = useNavigate();
  const checking = useMutation({
    mutationFn: checkNow,
    onSuccess: async (id) => {
      await queries.invalidateQueries({ queryKey: checksQuery.queryKey });
      void navigate(`/pages/${id}`);
    },
  });

  if (checks.error) return <Trouble error={checks.error} />;
  if (!checks.data) return <Spin />;
  return (
    <>
      <div className="bar">
        <h1>Pages</h1>
        <Input
          aria-label="Address to check"
          style={{ width: 420 }}
          value={address}
          onChange={(event) => { setAddress(event.target.value); }}
          onPressEnter={() => { checking.mutate(address); }}
        />
        <Button type="primary" loading={checking.isPending} onClick={() => { checking.mutate(address); }}>
          Check on five devices
        </Button>
        {checking.isPending && <span className="quiet">A heavy page takes a minute or two.</span>}
      </div>
      {checking.error && <Alert type="error" title={checking.error.message} style={{ marginBottom: 16 }} />}
      {checks.data.length === 0 && (
        <p className="quiet">
          No page was checked yet. Check one here, or keep checks of files with <code>kivet check FOLDER --keep</code>.
        </p>
      )}
      {checks.data.length > 0 && (
        <table className="plain pages">
          <thead>
            <tr>
              <th>page</th>
              <th>sent over time</th>
              <th className="number">fit</th>
              <th className="number">sent</th>
              <th className="number">needed</th>
              <th className="number">findings</th>
              <th className="number">checks</th>
              <th>last</th>
            </tr>
          </thead>
          <tbody>
            {checks.data.map(({ page, history }) => {
              const latest = history.at(-1);
              if (!latest) return null;
              const totals = history.flatMap(({ devices }) => heaviest(devices) ?? []);
              const now = heaviest(latest.devices);
              return (
                <tr key={page}>
                  <td>
                    <Link to={`/pages/${latest.id}`}>{page}</Link>
                    <div className="quiet">{latest.mode === "text" ? "read as text" : `on ${latest.devices.length} devices`}</div>
                  </td>
                  <td><Trend history={totals} /></td>
                  <td className="number">{percent(now?.fit)}</td>
                  <td className="number">{now && bytes(now.sent)}<div className="quiet">{now?.device}</div></td>
                  <td className="number">{now && bytes(now.needed)}</td>
                  <td className="number">{latest.findings}</td>
                  <td className="number">{history.length}</td>
                  <td>{new Date(latest.at * 1000).toLocaleString()}</td>
                </tr>
              );
            })}
          </tbody>
        </table>
      )}
    </>
  );
}

/** The device on which a page sends most bytes that are not needed. */
function heaviest<Device extends { sent: number; needed: number }>(devices: Device[]): Device | undefined {
  const [worst] = [...devices].sort((one, other) => other.sent - other.needed - (one.sent - one.needed));
  return worst;
}
