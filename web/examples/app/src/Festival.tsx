import { useEffect, useRef } from "react";
import type { OriginalName } from "kivet-frontend";
import { Picture } from "./Picture";

interface Card {
  title: string;
  picture: OriginalName;
  alt: string;
}

const CARDS: Card[] = [
  { title: "Lantern night", picture: "photos/night/lanterns.jpg", alt: "Lit kites above a dark field" },
  { title: "Breakers", picture: "photos/beach/breakers.jpg", alt: "Waves under a pale sky" },
  { title: "Sail loft", picture: "photos/workshop/bench.jpg", alt: "Cloth and spars on a bench" },
  { title: "Storm front", picture: "photos/field/storm-front.jpg", alt: "Dark clouds over the field" },
  { title: "Tide line", picture: "photos/beach/tide-line.jpg", alt: "Wet sand at low tide" },
  { title: "High kites", picture: "photos/beach/high-kites.jpg", alt: "Kites far above the beach" },
];

export function Festival() {
  return (
    <>
      <header className="banner">
        <Picture original="photos/harbour/kites-dawn.jpg" place="banner" alt="Kites over the harbour at dawn" />
        <h1>Windmark Kite Week</h1>
      </header>
      <main>
        <div className="cards">
          {CARDS.map(({ title, picture, alt }) => (
            <article key={picture}>
              <Picture original={picture} place="card" alt={alt} />
              <h2>{title}</h2>
            </article>
          ))}
        </div>
        <h2>Above the roofs</h2>
        <Element original="photos/harbour/roofs.jpg" place="wide" alt="Roofs of Port Ellery" />
      </main>
    </>
  );
}

/** The custom element, for what a framework does not render. */
function Element(attributes: { original: OriginalName; place: string; alt: string }) {
  const room = useRef<HTMLDivElement>(null);
  useEffect(() => {
    const element = document.createElement("kivet-picture");
    for (const [name, value] of Object.entries(attributes)) element.setAttribute(name, value);
    room.current?.replaceChildren(element);
  }, [attributes.original, attributes.place, attributes.alt]);
  return <div ref={room} className="wide" />;
}
