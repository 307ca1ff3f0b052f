import { queryOptions } from "@tanstack/react-query";
import { client, dataOf } from "../api/client";
import type { components } from "../api/schema";

export type Cache = components["schemas"]["CacheResponse"];

/** What renditions take on disk. */
export const cacheQuery = queryOptions({
  queryKey: ["cache"],
  queryFn: async () => dataOf(await client.GET("/api/cache")),
});

/** Makes the index of renditions anew from what is on disk. */
export async function listAnew(): Promise<Cache> {
  return dataOf(await client.POST("/api/cache/rebuild", {}));
}
