declare module 'class-transformer/cjs/storage.js' {
  /** Metadata of `@Type`, which the schema library needs to follow nested classes. */
  export const defaultMetadataStorage: unknown;
}
