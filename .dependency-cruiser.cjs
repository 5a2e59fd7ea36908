/** No circle between files, and none between folders. */
module.exports = {
  forbidden: [
    { name: 'no-circle', severity: 'error', from: {}, to: { circular: true } },
    {
      name: 'no-circle-between-folders',
      severity: 'error',
      scope: 'folder',
      from: { path: '^(packages|apps)/[^/]+/src' },
      to: { path: '^(packages|apps)/[^/]+/src', circular: true },
    },
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    exclude: { path: '(^|/)(dist|node_modules)/|\\.test\\.tsx?$|/test/' },
    tsPreCompilationDeps: false,
    tsConfig: { fileName: 'tsconfig.base.json' },
    enhancedResolveOptions: { extensions: ['.ts', '.tsx', '.js', '.d.ts'] },
  },
};
