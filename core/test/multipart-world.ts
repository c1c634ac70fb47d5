/** Forms as the platform sends them, a character for each byte. */
export const bytes = (text: string): Uint8Array => Uint8Array.from(text, (c) => c.charCodeAt(0));
export const base64 = (...b: number[]): string => Buffer.from(b).toString('base64');
export const sent = async (form: FormData): Promise<{ text: string; mediaType: string }> => {
  const request = new Request('http://a.example/', { method: 'POST', body: form });
  return {
    text: Buffer.from(await request.arrayBuffer()).toString('latin1'),
    mediaType: request.headers.get('content-type')!,
  };
};
