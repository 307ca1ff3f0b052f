/** A kept report, version 3: the JSON `kivet check --report FILE.json` writes. */
export interface Report {
  version: number;
  at: number;
  mode: "text" | "browser";
  runs: number;
  devices: { name: string; width: number; height: number; density: number }[];
  pages: PageReport[];
  thumbnails?: Record<string, string>;
}

export interface PageReport {
  page: string;
  devices: DeviceReport[];
  findings: Finding[];
}

export interface DeviceReport {
  device: string;
  /** The share of the sent bytes that the screen needed, in percent. */
  fit?: number;
  sent: number;
  needed: number;
  requests: number;
  requestsBeforeScroll: number;
  sentBeforeScroll: number;
  largestMs?: Spread;
  largest?: { selector: string; url: string; pageMs: number; discoveryMs: number; downloadMs: number; renderMs: number; blockedBy?: string };
  shift?: Spread;
  restored?: boolean;
  milestones?: { firstPaintMs?: number; domMs?: number; loadMs?: number };
  pictures: PictureRow[];
  /** Every request, in the order they were made; absent in text. */
  resources?: ResourceRow[];
}

export interface ResourceRow {
  url: string;
  kind: string;
  status: number;
  bytes: number;
  priority: string;
  startMs: number;
  responseMs: number;
  endMs: number;
  startedBy?: string;
}

export interface Spread {
  median: number;
  min: number;
  max: number;
}

export interface PictureRow {
  selector: string;
  line?: number;
  url: string;
  format: string;
  natural: [number, number];
  shown: [number, number];
  cut: number;
  seenPixels: [number, number];
  sent: number;
  needed: number;
  neededFormat: string;
  priority: string;
  startMs?: number;
  inView: boolean;
  beforeScroll: boolean;
}

export interface Finding {
  code: string;
  element: { tag: string; selector: string; path: string; line?: number };
  url: string;
  why: string;
  fix: string;
  costs: { device: string; bytes?: number; ms?: number; overlap?: number }[];
}

/** What changed from an earlier check to a later one. */
export interface Comparison {
  notes: string[];
  pages: {
    page: string;
    fixed: Finding[];
    new: Finding[];
    worse: { finding: Finding; before: number }[];
    kept: number;
    devices: {
      device: string;
      fit: [number | null, number | null];
      sent: [number, number];
      needed: [number, number];
      requestsBeforeScroll: [number, number];
      largestMs?: Change;
      shift?: Change;
    }[];
  }[];
}

export interface Change {
  before: Spread;
  after: Spread;
  beyondSpread: boolean;
}

/** What a finding costs on a device; `undefined` if it was not made there. */
export function costOn(finding: Finding, device: string): { bytes: number; ms: number } | undefined {
  const cost = finding.costs.find((one) => one.device === device);
  return cost && { bytes: cost.bytes ?? 0, ms: cost.ms ?? 0 };
}

/** The last part of an address. */
export function nameOf(url: string): string {
  const path = url.split(/[?#]/)[0] ?? url;
  return path.split("/").findLast((part) => part !== "") ?? url;
}
