import { queryOptions } from "@tanstack/react-query";
import { ProblemError, type Problem } from "../api/client";

/** One rendition as the browser got it. */
export interface Rendition {
  address: string;
  format: string;
  picture: string;
  bytes: number;
  width: number;
  height: number;
  /** Milliseconds the service spent. */
  took: number;
  /** Whether it was there already. */
  hit: boolean;
}

/** Fetches a rendition and reads what the service says of it. */
export const renditionQuery = (recipe: string, original: string) =>
  queryOptions({
    queryKey: ["rendition", recipe, original],
    queryFn: () => fetchRendition(`/pic/${recipe}/${original}`),
    staleTime: Infinity,
    gcTime: 60_000,
  });

async function fetchRendition(address: string): Promise<Rendition> {
  // Past the browser's own cache: what is shown is what the service did.
  const answer = await fetch(address, { cache: "no-store" });
  if (!answer.ok) throw new ProblemError((await answer.json()) as Problem);
  const body = await answer.blob();
  const said = (name: string) => answer.headers.get(name) ?? "";
  const parameter = (name: string) => Number(new RegExp(`; ${name}=(\\d+)`).exec(said("kivet-rendition"))?.[1]);
  return {
    address,
    format: said("kivet-rendition").split(";")[0] ?? "",
    picture: await dataAddress(body),
    bytes: body.size,
    width: parameter("width"),
    height: parameter("height"),
    took: Number(/total;dur=([\d.]+)/.exec(said("server-timing"))?.[1]),
    hit: said("cache-status").includes("; hit"),
  };
}

function dataAddress(body: Blob): Promise<string> {
  return new Promise((resolve, reject) => {
    const reader = new FileReader();
    reader.onload = () => { resolve(reader.result as string); };
    reader.onerror = () => { reject(new Error("the picture could not be read")); };
    reader.readAsDataURL(body);
  });
}
