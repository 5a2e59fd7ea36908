import { build, install } from '../scripts/lib/prepare.mjs';

/** Once for all workers: demos that start at the same time would build beside each other. */
export default function prepare(): void {
  install();
  build();
}
