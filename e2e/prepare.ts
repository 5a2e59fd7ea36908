import { prepare } from '../scripts/lib/prepare.mjs';

/** Once for all workers: demos that start at the same time would build beside each other. */
export default function prepareOnce(): Promise<void> {
  return prepare();
}
