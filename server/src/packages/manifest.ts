import { XMLParser } from 'fast-xml-parser';
import type { PackageAbout, ScormEdition } from '@nudrik/core';

type Node = Record<string, unknown>;
const isNode = (value: unknown): value is Node => typeof value === 'object' && value !== null && !Array.isArray(value);
const list = (value: unknown): Node[] => (Array.isArray(value) ? value : [value]).filter(isNode);
const text = (value: unknown): string => (isNode(value) ? text(value['#text']) : typeof value === 'string' || typeof value === 'number' ? String(value).trim() : ''); // prettier-ignore

/**
 * What a SCORM manifest says: which edition, what it is called, and what is opened first.
 * @returns the fault in words, the end of "imsmanifest.xml …"
 * Source: SCORM 1.2 CAM 2.3, SCORM 2004 CAM 3.4 (manifest, organizations, resources)
 */
export function readManifest(xml: string): Omit<PackageAbout, 'files'> | { fault: string } {
  // no document type: entities of one's own are how small files become large ones
  if (/<!DOCTYPE|<!ENTITY/i.test(xml)) return { fault: 'declares a document type or entities, which are not read' };
  let manifest: unknown;
  try {
    const parser = new XMLParser({ ignoreAttributes: false, attributeNamePrefix: '@', removeNSPrefix: true, processEntities: true, parseTagValue: false, parseAttributeValue: false }); // prettier-ignore
    manifest = (parser.parse(xml, true) as Node)['manifest'];
  } catch (error) {
    return { fault: `cannot be read as XML (${(error as Error).message.slice(0, 120)})` };
  }
  if (!isNode(manifest)) return { fault: 'has no manifest in it' };
  const version = text(list(manifest['metadata'])[0]?.['schemaversion']);
  const edition: ScormEdition | null = /^1\.2/.test(version) ? '1.2' : /2004|^1\.3/.test(version) ? '2004' : /adlcp_v1p3|2004/i.test(xml) ? '2004' : /adlcp/i.test(xml) ? '1.2' : null; // prettier-ignore
  if (edition === null) return { fault: `says neither SCORM 1.2 nor 2004 (got “${version || 'nothing'}”)` };
  const organizations = list(manifest['organizations'])[0];
  const organization =
    list(organizations?.['organization']).find((one) => one['@identifier'] === organizations?.['@default']) ??
    list(organizations?.['organization'])[0];
  const resources = list(list(manifest['resources'])[0]?.['resource']);
  const items = organization ? itemsIn(organization) : [];
  const launched = items.map(({ ref, parameters }) => ({ parameters, resource: resources.find((one) => one['@identifier'] === ref) })).filter(({ resource }) => text(resource?.['@href']) !== ''); // prettier-ignore
  const first = launched[0] ?? { parameters: '', resource: resources.find((one) => text(one['@href']) !== '') };
  if (!first.resource) return { fault: 'names no page that could be opened' };
  if (new Set(launched.map(({ resource }) => resource)).size > 1)
    return {
      fault: `holds ${launched.length} things to be opened one after another; a package with one is expected: give each as a package of its own`,
    };
  const base = `${text(list(manifest['resources'])[0]?.['@base'])}${text(first.resource['@base'])}`;
  const launch = `${base}${text(first.resource['@href'])}${first.parameters}`;
  if (/^[a-z][a-z0-9+.-]*:|^\/\//i.test(launch) || launch.split(/[?#]/)[0]!.split('/').includes('..'))
    return { fault: `opens an address outside the package (${launch.slice(0, 120)})` };
  return { edition, title: text(organization?.['title']) || text(manifest['@identifier']), launch };
}

const itemsIn = (node: Node): { ref: string; parameters: string }[] =>
  list(node['item']).flatMap((item) => [
    ...(text(item['@identifierref']) ? [{ ref: text(item['@identifierref']), parameters: text(item['@parameters']) }] : []),
    ...itemsIn(item),
  ]);
