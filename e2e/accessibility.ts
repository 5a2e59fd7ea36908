import AxeBuilder from '@axe-core/playwright';
import type { Page } from '@playwright/test';

/** Looks for accessibility faults of a page; what holds is not listed, and no page beside it is opened, since both take most of the time. */
export const axeOf = (page: Page): AxeBuilder => new AxeBuilder({ page }).setLegacyMode().options({ resultTypes: ['violations'] });

/** The faults that were found, each with the first place that has it. */
export const faultsOf = async (axe: AxeBuilder): Promise<string[]> =>
  (await axe.analyze()).violations.map((item) => `${item.id}: ${item.nodes[0]?.html.slice(0, 160)}`);
