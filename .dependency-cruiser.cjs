/** The import rules between floors, held a second time on the resolved graph. */
module.exports = {
  forbidden: [
    { name: 'core-is-pure', severity: 'error', from: { path: '^core/src', pathNot: '\\.test\\.ts$' }, to: { path: '^(contract|server|web|standins|demo)/' } },
    { name: 'contract-stands-on-core', severity: 'error', from: { path: '^contract/src' }, to: { path: '^(server|web|standins|demo)/' } },
    { name: 'server-knows-no-floor-above', severity: 'error', from: { path: '^server/src' }, to: { path: '^(web|demo)/' } },
    // tests play what is outside by the stand-ins
    { name: 'server-knows-no-stand-in', severity: 'error', from: { path: '^server/src', pathNot: '\\.test\\.ts$' }, to: { path: '^standins/' } },
    { name: 'web-knows-the-contract', severity: 'error', from: { path: '^web/src' }, to: { path: '^(server|standins|demo)/' } },
    { name: 'no-circles', severity: 'error', from: {}, to: { circular: true, viaOnly: { dependencyTypesNot: ['type-only'] } } },
  ],
  options: { doNotFollow: { path: 'node_modules' }, exclude: { path: '(dist|node_modules)/' }, tsPreCompilationDeps: false, tsConfig: { fileName: 'tsconfig.base.json' }, enhancedResolveOptions: { exportsFields: ['exports'], conditionNames: ['import', 'default'], extensions: ['.ts', '.js'] } },
};
