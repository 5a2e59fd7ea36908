/** Installs what the lock file names, unless that was done already. */
export declare function install(): void;
/** Builds everything, unless no source has changed since the last build. */
export declare function build(): void;
