/** How a node runs. */
export interface NodeOptions {
  readonly name: string;
  readonly host: string;
  /** 0 takes any free port. */
  readonly port: number;
  /** Public address of the gateway, without a slash at the end; made of host and port when left out. */
  readonly publicOrigin?: string;
  readonly controlUrl: string;
  readonly token: string;
  /** Folder for the last good release. */
  readonly folder: string;
  /** A second listener that speaks TLS and takes client certificates. Files hold PEM. */
  readonly tls?: { readonly port: number; readonly certificateFile: string; readonly keyFile: string; readonly publicOrigin?: string };
  /** Where nodes count together (Redis); left out, each node counts by itself. */
  readonly redisUrl?: string;
  readonly log: (text: string) => void;
}
