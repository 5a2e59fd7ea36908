import { lazy, Suspense } from 'react';
import type { RuleSubject } from './rule-dialog';

const Loaded = lazy(() => import('./condition-dialog').then((module) => ({ default: module.ConditionDialog })));

/** The dialog of conditions, loaded when it is opened: the language comes with it. */
export function ConditionDialog(subject: RuleSubject) {
  return (
    <Suspense fallback={null}>
      <Loaded {...subject} />
    </Suspense>
  );
}
