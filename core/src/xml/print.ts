/**
 * Lays XML out for reading, two spaces a level: for eyes only, never for the wire. Text content stays on its line, so
 * no whitespace is invented inside elements that hold text. What cannot be laid out comes back unchanged.
 */
export function printXml(xml: string): string {
  const tokens = xml.match(
    /<!--[\s\S]*?-->|<!\[CDATA\[[\s\S]*?\]\]>|<\?[\s\S]*?\?>|<[^>"']*(?:"[^"]*"[^>"']*|'[^']*'[^>"']*)*>|[^<]+/g,
  );
  if (!tokens) return xml;
  const lines: string[] = [];
  let depth = 0;
  let line = '';
  const flush = () => {
    if (line) lines.push(line);
    line = '';
  };
  const indent = () => '  '.repeat(Math.max(0, depth));
  for (let i = 0; i < tokens.length; i++) {
    const t = tokens[i]!;
    if (t.startsWith('</')) {
      depth--;
      if (line.trimStart().startsWith('<') && !line.trimStart().startsWith('</') && lineIsOpen(line)) line += t;
      else {
        flush();
        line = indent() + t;
      }
      flush();
    } else if (t.startsWith('<?') || t.startsWith('<!--')) {
      flush();
      lines.push(indent() + t);
    } else if (t.startsWith('<') && !t.startsWith('<![CDATA[')) {
      flush();
      line = indent() + t;
      if (t.endsWith('/>')) flush();
      else depth++;
    } else if (t.trim() !== '') {
      line += line ? t : indent() + t;
    }
  }
  flush();
  return lines.join('\n');
}

/** An opening tag, with or without text behind it, that nothing closed yet. */
function lineIsOpen(line: string): boolean {
  return !line.endsWith('/>') && !/<\/[^>]+>$/.test(line);
}
