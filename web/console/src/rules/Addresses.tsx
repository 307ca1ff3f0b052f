import { Button, Input } from "antd";

interface Props {
  addresses: Record<string, string>;
  onChange: (addresses: Record<string, string>) => void;
}

/** Which shelf holds what pages name by an address that begins in some way. */
export function Addresses({ addresses, onChange }: Props) {
  const entries = Object.entries(addresses);
  const change = (at: number, entry: [string, string]) => {
    onChange(Object.fromEntries(entries.map((one, number) => (number === at ? entry : one))));
  };
  return (
    <section className="addresses">
      <h2>Addresses on shelves</h2>
      {entries.map(([start, shelf], at) => (
        // While its text changes, an entry is known by where it stands.
        <div className="pair" key={at}>
          <Input aria-label={`Address ${at + 1}`} placeholder="../originals/" value={start} onChange={(event) => { change(at, [event.target.value, shelf]); }} />
          <span>lies on</span>
          <Input aria-label={`Shelf of address ${at + 1}`} placeholder="photos" value={shelf} onChange={(event) => { change(at, [start, event.target.value]); }} />
          <Button size="small" type="text" onClick={() => { onChange(Object.fromEntries(entries.filter((_, number) => number !== at))); }}>Remove</Button>
        </div>
      ))}
      <Button size="small" disabled={"" in addresses} onClick={() => { onChange({ ...addresses, "": "" }); }}>Another address</Button>
    </section>
  );
}
