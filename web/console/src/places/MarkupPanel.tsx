import { useQuery } from "@tanstack/react-query";
import { Segmented, Typography } from "antd";
import { useState } from "react";
import { markupQuery, type PlaceDocument } from "./queries";

const FORMS = ["img", "picture", "preload", "css", "jsx", "social", "json"];

/** The markup of an original in the place, in every form, to copy. */
export function MarkupPanel({ place, original }: { place: PlaceDocument; original: string }) {
  const [form, setForm] = useState("img");
  const markup = useQuery(markupQuery(place, original, form));
  const text = markup.data?.pictures[0]?.text ?? "";
  return (
    <div className="markup">
      <div className="bar">
        <Segmented size="small" value={form} options={FORMS} onChange={setForm} />
        {text && <Typography.Text copyable={{ text, tooltips: ["Copy", "Copied"] }}>copy</Typography.Text>}
      </div>
      <pre>{text}</pre>
      {markup.data?.notes.map((note) => <p key={note} className="quiet">{note}</p>)}
    </div>
  );
}
