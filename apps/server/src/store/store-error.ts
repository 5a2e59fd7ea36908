/** The database cannot be used, and why, in words for whoever starts the control plane. */
export class StoreError extends Error {
  constructor(message: string) {
    super(message);
    this.name = 'StoreError';
  }
}
