import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

export type OriginalResponse = components["schemas"]["OriginalResponse"];
export type FactsResponse = components["schemas"]["FactsResponse"];
export type LibraryPage = components["schemas"]["LibraryPage"];
export type RecipeResponse = components["schemas"]["RecipeResponse"];
export type Clauses = components["schemas"]["Clauses"];
export type CheckedPage = components["schemas"]["CheckedPage"];
export type Problem = components["schemas"]["Problem"];

/** Calls to the service, typed from its own description. */
export const client = createClient<paths>();

/** What a refused call says. */
export class ProblemError extends Error {
  constructor(readonly problem: Problem) {
    super(problem.detail);
  }
}

/** The browser is not signed in. */
export class NotSignedIn extends ProblemError {}

/** The data of a call, or its problem thrown. */
export function dataOf<T>(result: { data?: T; error?: Problem }): T {
  if (result.data !== undefined) return result.data;
  const problem = result.error ?? { type: "", title: "No answer", status: 0, detail: "The service did not answer." };
  throw problem.status === 401 ? new NotSignedIn(problem) : new ProblemError(problem);
}
