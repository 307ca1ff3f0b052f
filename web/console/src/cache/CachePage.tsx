import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Alert, Button, Progress, Spin, Table } from "antd";
import { bytes } from "../bytes";
import { Trouble } from "../signin/Trouble";
import { type Cache, cacheQuery, listAnew } from "./queries";

const COLUMNS = [
  { title: "shelf", dataIndex: "shelf" },
  { title: "format", dataIndex: "format" },
  { title: "renditions", dataIndex: "renditions", align: "right" as const },
  { title: "bytes", dataIndex: "bytes", align: "right" as const, render: bytes },
];

/** What renditions take on disk, and what they may take. */
export default function CachePage() {
  const cache = useQuery(cacheQuery);
  const queries = useQueryClient();
  const rebuild = useMutation({
    mutationFn: listAnew,
    onSuccess: (now) => { queries.setQueryData(cacheQuery.queryKey, now); },
  });
  if (cache.error) return <Trouble error={cache.error} />;
  if (!cache.data) return <Spin />;
  return (
    <>
      <div className="bar">
        <h1>Cache</h1>
        <Button loading={rebuild.isPending} onClick={() => { rebuild.mutate(); }}>Rebuild the index</Button>
        <span className="quiet">
          Renditions on disk. The least recently used go first where there are too many, and those that nobody asks for
          after {cache.data.unusedDays} days; any is made again when it is asked for. <i>Rebuild the index</i>{" "}
          makes it anew from what is on disk.
        </span>
      </div>
      {rebuild.error && <Alert type="error" title={rebuild.error.message} style={{ marginBottom: 16 }} />}
      <Share cache={cache.data} />
      <Table
        rowKey={({ shelf, format }) => `${shelf} ${format}`}
        columns={COLUMNS}
        dataSource={cache.data.groups}
        pagination={false}
        size="small"
        locale={{ emptyText: "No rendition yet: one is kept when a picture is first asked for." }}
      />
    </>
  );
}

/** How much of the budget is used. */
function Share({ cache }: { cache: Cache }) {
  const percent = (100 * cache.bytes) / cache.maxBytes;
  return (
    <div style={{ maxWidth: 640, marginBottom: 24 }}>
      <Progress percent={percent} format={() => `${percent.toFixed(1)}%`} aria-label="Share of the budget that is used" />
      <span>
        {cache.renditions} renditions, {bytes(cache.bytes)} of at most {bytes(cache.maxBytes)}
      </span>
    </div>
  );
}
