import { useInfiniteQuery } from "@tanstack/react-query";
import { Button, Input, Select, Spin } from "antd";
import { useState } from "react";
import { useSearchParams } from "react-router";
import { libraryQuery } from "../api/queries";
import { Trouble } from "../signin/Trouble";
import { OriginalCard } from "./OriginalCard";

/** All originals of a shelf, with their facts. */
export default function LibraryPage() {
  const [search, setSearch] = useSearchParams();
  const [wanted, setWanted] = useState("");
  const shelf = search.get("shelf") ?? undefined;
  const library = useInfiniteQuery(libraryQuery(shelf));

  if (library.error) return <Trouble error={library.error} />;
  if (!library.data) return <Spin />;
  const first = library.data.pages[0];
  const originals = library.data.pages.flatMap((page) => page.originals);
  const shown = originals.filter((original) => original.id.toLowerCase().includes(wanted.toLowerCase()));

  return (
    <>
      <div className="bar">
        <h1>Library</h1>
        <Select
          aria-label="Shelf"
          value={first?.shelf ?? ""}
          options={(first?.shelves ?? []).map((name) => ({ value: name, label: name }))}
          onChange={(name) => { setSearch({ shelf: name }); }}
        />
        <Input
          allowClear
          aria-label="Filter by name"
          placeholder="Filter by name"
          style={{ width: 220 }}
          value={wanted}
          onChange={(event) => { setWanted(event.target.value); }}
        />
        <span className="quiet">
          {shown.length} {shown.length === 1 ? "original" : "originals"}
          {library.hasNextPage && " so far"}
        </span>
      </div>
      <div className="shelf-grid">
        {shown.map((original) => (
          <OriginalCard key={original.id} original={original} />
        ))}
      </div>
      {library.hasNextPage && (
        <Button style={{ marginTop: 18 }} loading={library.isFetchingNextPage} onClick={() => void library.fetchNextPage()}>
          Show more
        </Button>
      )}
    </>
  );
}
