import { infiniteQueryOptions, queryOptions } from "@tanstack/react-query";
import { client, dataOf } from "./client";

const PAGE = 60;

/** A shelf's originals, page by page; the first shelf if none is named. */
export const libraryQuery = (shelf: string | undefined) =>
  infiniteQueryOptions({
    queryKey: ["library", shelf],
    initialPageParam: undefined as string | undefined,
    queryFn: async ({ pageParam }) => {
      const query = { limit: PAGE, ...(shelf && { shelf }), ...(pageParam && { after: pageParam }) };
      return dataOf(await client.GET("/api/library", { params: { query } }));
    },
    getNextPageParam: (page) => page.next ?? undefined,
  });

/** What a recipe means, and what comes out of it for an original. */
export const recipeQuery = (text: string, original: string | undefined) =>
  queryOptions({
    queryKey: ["recipe", text, original],
    queryFn: async () =>
      dataOf(await client.GET("/api/recipe", { params: { query: { text, ...(original && { original }) } } })),
  });
