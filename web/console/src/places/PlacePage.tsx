import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Alert, Button, Input, Popconfirm, Select, Spin } from "antd";
import { useState } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import { libraryQuery } from "../api/queries";
import { Trouble } from "../signin/Trouble";
import { useDebounced } from "../useDebounced";
import { DeviceStrip } from "./DeviceStrip";
import { LadderPlot } from "./LadderPlot";
import { MarkupPanel } from "./MarkupPanel";
import { PlaceFields } from "./PlaceFields";
import { keepPlace, type PlaceDocument, placesQuery, previewQuery, removePlace } from "./queries";
import "./places.css";

const START: PlaceDocument = { sizes: "(min-width: 60em) 33vw, 100vw", ratio: "3 / 2", placeholder: "soft" };

/** One place: loaded, then edited. */
export default function PlacePage() {
  const { name = "new" } = useParams();
  const places = useQuery(placesQuery);
  if (places.error) return <Trouble error={places.error} />;
  if (!places.data) return <Spin />;
  const kept = places.data.find((place) => place.name === name);
  if (!kept && name !== "new") return <p>Unknown place <code>{name}</code>; <Link to="/places">Places</Link> lists all.</p>;
  return <PlaceEditor key={name} name={kept ? name : ""} kept={kept?.place ?? START} isNew={!kept} />;
}

/** Its keys, and what they do: the ladder, five devices, the markup. */
function PlaceEditor({ name: given, kept, isNew }: { name: string; kept: PlaceDocument; isNew: boolean }) {
  const [name, setName] = useState(given);
  const [place, setPlace] = useState(kept);
  const [search, setSearch] = useSearchParams();
  const library = useInfiniteQuery(libraryQuery(search.get("shelf") ?? undefined));
  const [listed] = library.data?.pages ?? [];
  const originals = (library.data?.pages ?? []).flatMap((page) => page.originals).filter((one) => one.facts && !one.problem);
  const [chosen, setChosen] = useState<string>();
  const original = originals.find((one) => one.id === chosen) ?? originals.find((one) => one.id.endsWith(".jpg")) ?? originals[0];
  const asked = useDebounced(place, 300);
  const preview = useQuery({ ...previewQuery(asked, original?.id ?? ""), enabled: original !== undefined });
  // While a key is refused, what the last good place did stays in view.
  const [good, setGood] = useState(preview.data);
  if (preview.data && preview.data !== good) setGood(preview.data);
  const queries = useQueryClient();
  const navigate = useNavigate();
  const done = async (to: string) => {
    await queries.invalidateQueries({ queryKey: placesQuery.queryKey });
    void navigate(to);
  };
  const keep = useMutation({ mutationFn: () => keepPlace(name, place, isNew), onSuccess: () => done(`/places/${name}`) });
  const remove = useMutation({ mutationFn: () => removePlace(name), onSuccess: () => done("/places") });
  const trouble = keep.error ?? remove.error ?? preview.error;
  return (
    <>
      <div className="bar">
        <h1>{isNew ? "New place" : name}</h1>
        {isNew && <Input aria-label="Name" placeholder="name" style={{ width: 160 }} value={name} onChange={(event) => { setName(event.target.value); }} />}
        <Button type="primary" disabled={!name || (!isNew && written(place) === written(kept))} loading={keep.isPending} onClick={() => { keep.mutate(); }}>Keep</Button>
        {!isNew && (
          <Popconfirm title="Markup stays as it is; recipes that name this place are refused." okText="Remove" onConfirm={() => { remove.mutate(); }}>
            <Button>Remove</Button>
          </Popconfirm>
        )}
        <Select
          aria-label="Shelf"
          value={listed?.shelf ?? null}
          options={(listed?.shelves ?? []).map((shelf) => ({ value: shelf, label: shelf }))}
          onChange={(shelf: string | null) => { setSearch(shelf ? { shelf } : {}, { replace: true }); }}
        />
        <Select
          showSearch
          aria-label="Original"
          style={{ width: 300 }}
          value={original?.id ?? null}
          options={originals.map((one) => ({ value: one.id, label: one.id }))}
          onChange={(id: string | null) => { setChosen(id ?? undefined); }}
        />
      </div>
      {trouble && <Alert type="error" title={trouble.message} style={{ marginBottom: 16 }} />}
      <div className="bench place">
        <div className="panel"><PlaceFields place={place} onChange={(change) => { setPlace((now) => ({ ...now, ...change })); }} /></div>
        <div style={{ opacity: preview.error ? 0.4 : 1 }}>
          {good?.layouts.map((layout) => (
            <section key={layout.media ?? ""}>
              <h2>
                {layout.media ? <code>{layout.media}</code> : good.layouts.length > 1 ? "Everywhere else" : "Everywhere"}
                <span className="quiet">
                  {" "}{layout.ladder.steps.length} widths, {percent(layout.ladder.cost.surplus)} more bytes than exactly fitting ones
                  {layout.ladder.fewer && `; ${percent(layout.ladder.fewer.surplus)} with one fewer`}
                  {layout.ladder.more && `, ${percent(layout.ladder.more.surplus)} with one more`}
                </span>
              </h2>
              <LadderPlot layout={layout} />
            </section>
          ))}
          {good && (
            <p className="quiet">
              The line is the shown width in CSS pixels; a dot is what one kind of screen needs in device pixels, larger the more views it
              has; dotted levels are the widths on offer, and the shade between is what is sent too much.
            </p>
          )}
          {good && original && <DeviceStrip devices={good.devices} address={original.address} />}
          {original && !preview.error && <MarkupPanel place={asked} original={original.id} />}
        </div>
      </div>
    </>
  );
}

/** A place as text that is the same for the same place: absent and empty keys do not count. */
const written = (place: PlaceDocument) =>
  JSON.stringify(Object.entries(place).filter(([, value]) => value !== null && value !== false).sort());

const percent = (share: number) => `${(share * 100).toFixed(1)}%`;
