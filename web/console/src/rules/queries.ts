import { keepPreviousData, queryOptions } from "@tanstack/react-query";
import { client, dataOf } from "../api/client";
import type { components } from "../api/schema";

export type RulesDocument = components["schemas"]["RulesDocument"];
export type RuleDocument = components["schemas"]["RuleDocument"];
export type PictureChange = components["schemas"]["PictureChange"];

/** The rules that the service keeps. */
export const rulesQuery = queryOptions({
  queryKey: ["rules"],
  queryFn: async () => dataOf(await client.GET("/api/rules")),
});

/** Keeps rules in the stead of those that were. */
export async function keepRules(rules: RulesDocument): Promise<RulesDocument> {
  return dataOf(await client.PUT("/api/rules", { body: rules }));
}

/** What rules make of a page. */
export const trialQuery = (rules: RulesDocument, page: string, html: string) =>
  queryOptions({
    queryKey: ["rewrite", rules, page, html],
    queryFn: async () => dataOf(await client.POST("/api/rewrite", { body: { rules, page, html } })),
    placeholderData: keepPreviousData,
    retry: false,
  });
