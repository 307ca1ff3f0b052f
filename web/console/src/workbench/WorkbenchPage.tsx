import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { Select, Spin } from "antd";
import { useState } from "react";
import { useSearchParams } from "react-router";
import { ProblemError } from "../api/client";
import { libraryQuery, recipeQuery } from "../api/queries";
import { Trouble } from "../signin/Trouble";
import { ContactSheet } from "./ContactSheet";
import { RecipeControls } from "./RecipeControls";
import { RecipeField } from "./RecipeField";
import { changed, recipeText } from "./recipeText";
import { useDebounced } from "../useDebounced";

const START = "360w_ratio-3-2";

/** Choose an original, set the recipe, and look at what comes out in each format. The address holds both. */
export default function WorkbenchPage() {
  const [search, setSearch] = useSearchParams();
  const shelf = search.get("shelf") ?? search.get("original")?.split("/")[0];
  const library = useInfiniteQuery(libraryQuery(shelf));
  const originals = (library.data?.pages ?? []).flatMap((page) => page.originals).filter((one) => one.facts && !one.problem);
  const id = search.get("original") ?? originals[0]?.id;
  const original = originals.find((one) => one.id === id);
  const text = search.get("recipe") ?? START;
  const set = (change: Record<string, string>) => {
    setSearch((now) => ({ ...Object.fromEntries(now), ...change }), { replace: true });
  };

  const asked = useDebounced(text, 250);
  const recipe = useQuery({ ...recipeQuery(asked, id), enabled: id !== undefined });
  const refused = recipe.error instanceof ProblemError ? recipe.error.problem : undefined;
  // While a recipe is refused, the last good one stays in view: a slip of the pen must not clear the table.
  const [good, setGood] = useState(recipe.data);
  if (recipe.data && recipe.data !== good) setGood(recipe.data);

  if (library.error) return <Trouble error={library.error} />;
  if (!library.data) return <Spin />;
  return (
    <>
      <div className="bar">
        <h1>Workbench</h1>
        <Select
          aria-label="Shelf"
          value={library.data.pages[0]?.shelf ?? ""}
          options={(library.data.pages[0]?.shelves ?? []).map((name) => ({ value: name, label: name }))}
          onChange={(shelf) => { setSearch({ shelf, recipe: text }, { replace: true }); }}
        />
        <Select
          showSearch
          aria-label="Original"
          style={{ width: 340 }}
          value={id ?? null}
          options={originals.map((one) => ({ value: one.id, label: one.id.slice(one.id.indexOf("/") + 1) }))}
          onChange={(original) => { set({ original }); }}
        />
        {original?.facts && (
          <span className="quiet">
            {original.facts.width} × {original.facts.height} {original.facts.format}
          </span>
        )}
      </div>
      <div className="bench">
        <div className="panel">
          <RecipeField text={text} refused={asked === text ? refused : undefined} onChange={(recipe) => { set({ recipe }); }} />
          {good && (
            <RecipeControls
              clauses={good.clauses}
              onChange={(change) => { set({ recipe: recipeText(changed(good.clauses, change)) || START }); }}
            />
          )}
        </div>
        {original && good?.outcome && (
          <div style={{ opacity: refused ? 0.4 : 1 }}>
            <ContactSheet address={original.address} clauses={good.clauses} outcome={good.outcome} />
          </div>
        )}
      </div>
    </>
  );
}
