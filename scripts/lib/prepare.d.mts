/** Installs and builds what is not there yet. */
export declare function prepare(): Promise<void>;
