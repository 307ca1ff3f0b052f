import { useQuery } from "@tanstack/react-query";
import { Segmented, Select, Spin } from "antd";
import { useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import type { CheckedPage } from "../api/client";
import { Trouble } from "../signin/Trouble";
import { Changes } from "./Changes";
import { FindingList } from "./FindingList";
import { Measures } from "./Measures";
import { PictureTable } from "./PictureTable";
import { checksQuery, reportQuery } from "./queries";
import { nameOf } from "./report";
import { Waterfall } from "./Waterfall";

/** One check of one page: its measures, findings and pictures on a device, or what changed since an earlier check. */
export default function ReportPage() {
  const id = Number(useParams().id);
  const [search, setSearch] = useSearchParams();
  const [codes, setCodes] = useState<string[]>([]);
  const report = useQuery(reportQuery(id));
  const checks = useQuery(checksQuery);

  if (report.error) return <Trouble error={report.error} />;
  if (!report.data) return <Spin />;
  const page = report.data.pages[0];
  if (!page) return <p>This report is on no page.</p>;
  const name = search.get("device") ?? page.devices[0]?.device;
  const device = page.devices.find((one) => one.device === name) ?? page.devices[0];
  const earlier = search.get("against");
  const set = (key: string, value: string | undefined) => {
    setSearch((before) => {
      if (value) before.set(key, value);
      else before.delete(key);
      return before;
    }, { replace: true });
  };
  const found = [...new Set(page.findings.map(({ code }) => code))];
  const shown = page.findings.filter(({ code }) => codes.length === 0 || codes.includes(code));

  return (
    <>
      <div className="bar">
        <h1 className="page-name">
          <Link to="/pages">Pages</Link> / {page.page}
        </h1>
        <span className="quiet">{when(report.data.at)}</span>
      </div>
      <div className="bar">
        <Segmented
          aria-label="Device"
          value={device?.device ?? ""}
          options={page.devices.map((one) => one.device)}
          onChange={(value) => { set("device", value); }}
        />
        <Select
          aria-label="Compare with"
          allowClear
          placeholder="Compare with another check"
          style={{ width: 420 }}
          value={earlier}
          options={comparable(checks.data ?? [], page.page, id)}
          onChange={(value: string | undefined) => { set("against", value); }}
        />
      </div>
      {device && !earlier && <Measures device={device} />}
      {device && earlier && <Changes id={id} earlier={Number(earlier)} device={device.device} />}
      {device && !earlier && (
        <>
          <div className="bar tight">
            <h2>Findings</h2>
            <Select
              mode="multiple"
              allowClear
              aria-label="Filter by code"
              placeholder="All codes"
              style={{ minWidth: 300 }}
              value={codes}
              options={found.map((code) => ({ value: code, label: code }))}
              onChange={setCodes}
            />
          </div>
          <FindingList findings={shown} device={device.device} />
          <h2>Pictures</h2>
          <PictureTable device={device} thumbnails={report.data.thumbnails ?? {}} />
          <Waterfall device={device} />
        </>
      )}
    </>
  );
}

const when = (at: number) => new Date(at * 1000).toLocaleString();

/** The page's earlier checks, and the latest of every other page: a page may have been rewritten under another address. */
function comparable(pages: CheckedPage[], page: string, id: number) {
  const option = (label: string, check: { id: number; at: number; findings: number }) => ({
    value: String(check.id),
    label: `${label}${when(check.at)}, ${check.findings} findings`,
  });
  const own = pages.find((one) => one.page === page)?.history ?? [];
  const others = pages.filter((one) => one.page !== page);
  return [
    { label: "This page, earlier", options: own.filter((one) => one.id < id).reverse().map((one) => option("", one)) },
    { label: "Other pages", options: others.flatMap((one) => one.history.slice(-1).map((check) => option(`${nameOf(one.page)}, `, check))) },
  ];
}
