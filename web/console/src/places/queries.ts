import { keepPreviousData, queryOptions } from "@tanstack/react-query";
import { client, dataOf } from "../api/client";
import type { components } from "../api/schema";

export type PlaceDocument = components["schemas"]["PlaceDocument"];
export type AlternativeDocument = components["schemas"]["AlternativeDocument"];
export type PlaceResponse = components["schemas"]["PlaceResponse"];
export type PreviewResponse = components["schemas"]["PreviewResponse"];
export type LayoutPreview = components["schemas"]["LayoutPreview"];
export type DevicePreview = components["schemas"]["DevicePreview"];

/** All places. */
export const placesQuery = queryOptions({
  queryKey: ["places"],
  queryFn: async () => dataOf(await client.GET("/api/places")),
});

/** What a place would do to an original. */
export const previewQuery = (layout: PlaceDocument, original: string) =>
  queryOptions({
    queryKey: ["preview", layout, original],
    queryFn: async () => dataOf(await client.POST("/api/markup/preview", { body: { layout, original } })),
    placeholderData: keepPreviousData,
    retry: false,
  });

/** The markup of an original in a place, in one form. */
export const markupQuery = (layout: PlaceDocument, original: string, form: string) =>
  queryOptions({
    queryKey: ["markup", layout, original, form],
    queryFn: async () => dataOf(await client.POST("/api/markup", { body: { originals: [original], layout, form } })),
    placeholderData: keepPreviousData,
    retry: false,
  });

/** Stores a place; a new one only if none of that name is stored. */
export async function keepPlace(name: string, place: PlaceDocument, isNew: boolean): Promise<PlaceResponse> {
  const headers = isNew ? { "If-None-Match": "*" } : {};
  return dataOf(await client.PUT("/api/places/{name}", { params: { path: { name } }, body: place, headers }));
}

/** Removes a place. */
export async function removePlace(name: string): Promise<void> {
  const { error } = await client.DELETE("/api/places/{name}", { params: { path: { name } } });
  if (error) dataOf({ error });
}
