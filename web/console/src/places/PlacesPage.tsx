import { useQuery } from "@tanstack/react-query";
import { Button, Spin } from "antd";
import { Link, useNavigate } from "react-router";
import { Trouble } from "../signin/Trouble";
import { placesQuery } from "./queries";
import "./places.css";

/** All places: where in layouts pictures appear. */
export default function PlacesPage() {
  const places = useQuery(placesQuery);
  const navigate = useNavigate();
  if (places.error) return <Trouble error={places.error} />;
  if (!places.data) return <Spin />;
  return (
    <>
      <div className="bar">
        <h1>Places</h1>
        <Button type="primary" onClick={() => void navigate("/places/new")}>New place</Button>
        <span className="quiet">
          Where in your layouts pictures appear. <code>kivet place export</code> writes them to a file.
        </span>
      </div>
      {places.data.length === 0 && <p className="quiet">No place yet.</p>}
      {places.data.length > 0 && (
        <table className="plain places">
          <thead>
            <tr>
              <th>place</th>
              <th>shown width</th>
              <th>shape</th>
              <th>loading</th>
              <th>placeholder</th>
              <th className="number">fidelity</th>
              <th className="number">density up to</th>
              <th className="number">other layouts</th>
            </tr>
          </thead>
          <tbody>
            {places.data.map(({ name, recipe, place }) => (
              <tr key={name}>
                <td><Link to={`/places/${name}`}>{name}</Link></td>
                <td><code>{place.sizes}</code></td>
                <td>{recipe ? <code>{recipe}</code> : <span className="quiet">its own</span>}</td>
                <td>{place.loading ?? "later"}</td>
                <td>{place.placeholder ?? "none"}</td>
                <td className="number">{place.fidelity ?? "80"}</td>
                <td className="number">{place.densityCap ?? "any"}</td>
                <td className="number">{place.alternatives?.length ?? 0}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </>
  );
}
