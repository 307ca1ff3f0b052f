/** What `kivet library export` writes: originals with what places offer of them. */
export interface Manifest {
  version: number;
  places: Record<string, ManifestPlace>;
  originals: Record<string, ManifestOriginal>;
  overlays: string[];
}

export interface ManifestPlace {
  loading: string;
  placeholder: string;
  autoSizes: boolean;
}

export interface ManifestOriginal {
  path: string;
  version: string;
  alt?: Record<string, string>;
  flat?: string;
  soft?: string;
  places: Record<string, ManifestOffer>;
}

export interface ManifestOffer {
  alt?: Record<string, string>;
  sources?: ManifestSource[];
  main: ManifestSource;
}

export interface ManifestSource {
  media?: string;
  /** Recipe and width of each candidate, smallest first. */
  steps: (string | number)[][];
  sizes: string;
  width: number;
  height: number;
}

/** The form of manifest that this package reads. */
export const MANIFEST_VERSION = 1;
