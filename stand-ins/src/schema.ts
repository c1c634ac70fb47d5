import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { XmlBufferInputProvider, XmlDocument, XsdValidator, xmlRegisterInputProvider } from 'libxml2-wasm';

/** An XSD validator over several files: imports are answered from memory, nothing else is opened. */
export function openSchema(folder: string, entry: string, files: readonly string[]): XsdValidator {
  const url = (name: string) => `stand-in://${folder.split('/').slice(-2).join('-')}/${name}`;
  const data: Record<string, Uint8Array> = {};
  for (const name of files) data[url(name)] = readFileSync(join(folder, name));
  xmlRegisterInputProvider(new XmlBufferInputProvider(data));
  const doc = XmlDocument.fromBuffer(data[url(entry)]!, { url: url(entry) });
  try {
    return XsdValidator.fromDoc(doc);
  } finally {
    doc.dispose();
  }
}
