import { XMLParser } from 'fast-xml-parser';

const S = 'http://schemas.xmlsoap.org/soap/envelope/';
const D = 'urn:tarnhaven:dues:1';
/** TAL for each ton and night, in millionths: long decimals are the point of this service. */
const RATE: Readonly<Record<string, bigint>> = { NONE: 31_250n, BULK: 48_125n, TIMBER: 44_375n };

const parser = new XMLParser({ removeNSPrefix: true, parseTagValue: false, ignoreAttributes: true });

/** Answers an rpc/literal CalculateDues (SOAP 1.1). */
export function calculateDues(text: string): { status: number; text: string } {
  const fault = (code: string, reason: string, detail = '') => ({
    status: 500,
    text: `<s:Envelope xmlns:s="${S}"><s:Body><s:Fault><faultcode>s:${code}</faultcode><faultstring>${reason}</faultstring>${detail}</s:Fault></s:Body></s:Envelope>`,
  });
  let asked: { grossTonnage?: string; nights?: string; cargoClass?: string } | undefined;
  try {
    const root = parser.parse(text) as { Envelope?: { Body?: { CalculateDues?: typeof asked } } };
    asked = root.Envelope?.Body?.CalculateDues;
  } catch (error) {
    return fault('Client', `The request is not XML: ${(error as Error).message}`);
  }
  const { grossTonnage = '', nights = '', cargoClass = '' } = asked ?? {};
  if (!/^\d+(\.\d+)?$/.test(grossTonnage) || !/^\d+$/.test(nights))
    return fault('Client', 'CalculateDues needs grossTonnage and nights');
  const rate = RATE[cargoClass];
  if (rate === undefined)
    return fault(
      'Client',
      `there is no tariff for ${cargoClass}`,
      `<detail><d:TariffMissing xmlns:d="${D}"><cargoClass>${cargoClass}</cargoClass></d:TariffMissing></detail>`,
    );
  const [whole, part = ''] = grossTonnage.split('.');
  const tons = BigInt(whole! + part.padEnd(3, '0').slice(0, 3));
  const stay = (tons * BigInt(nights) * rate) / 1000n;
  const items = [
    ['stay', stay],
    ['harbour light', 12_500_000n],
  ] as const;
  const total = items.reduce((sum, [, n]) => sum + n, 0n);
  const inner = `<total>${decimal(total)}</total>${items.map(([reason, n]) => `<item reason="${reason}"><amount>${decimal(n)}</amount></item>`).join('')}`;
  return {
    status: 200,
    text: `<s:Envelope xmlns:s="${S}"><s:Body><d:CalculateDuesResponse xmlns:d="${D}"><bill currency="TAL">${inner}</bill></d:CalculateDuesResponse></s:Body></s:Envelope>`,
  };
}

const decimal = (millionths: bigint): string => {
  const text = millionths.toString().padStart(7, '0');
  return `${text.slice(0, -6)}.${text.slice(-6)}`;
};
