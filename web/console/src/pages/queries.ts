import { queryOptions } from "@tanstack/react-query";
import { client, dataOf } from "../api/client";
import type { Comparison, Report } from "./report";

/** The pages that were checked, with their history. */
export const checksQuery = queryOptions({
  queryKey: ["checks"],
  queryFn: async () => dataOf(await client.GET("/api/checks")),
});

/** The whole report of one check. */
export const reportQuery = (id: number) =>
  queryOptions({
    queryKey: ["check", id],
    queryFn: async () => {
      const report: unknown = dataOf(await client.GET("/api/checks/{id}", { params: { path: { id } } }));
      return report as Report;
    },
  });

/** What changed from an earlier check to this one. */
export const againstQuery = (id: number, earlier: number) =>
  queryOptions({
    queryKey: ["check", id, "against", earlier],
    queryFn: async () => {
      const path = { id, earlier };
      const comparison: unknown = dataOf(await client.GET("/api/checks/{id}/against/{earlier}", { params: { path } }));
      return comparison as Comparison;
    },
  });

/** Checks a page now; answers the number of its record. */
export async function checkNow(page: string): Promise<number> {
  const kept = dataOf(await client.POST("/api/checks/new", { params: { query: { page } } }));
  const [id] = kept.ids;
  if (id === undefined) throw new Error("The page was checked, but no record was kept.");
  return id;
}
