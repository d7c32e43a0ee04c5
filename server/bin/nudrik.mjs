#!/usr/bin/env node
// the command line of Nudrik; runs the TypeScript sources as they are, so that no build can be stale
import { register } from 'tsx/esm/api';

register();
await import('../src/cli.ts');
