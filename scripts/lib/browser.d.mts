/** How Debian's Chromium is started where there is no desktop and no network. */
export declare const CHROMIUM: { executablePath: string; args: string[] };
