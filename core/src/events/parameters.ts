import { finding, type Finding } from '../problem';
import { parameterNames } from './family';
import { channelPath, topicParameters, topicPointer, type TopicDocument } from './topic';

type Report = (f: Finding) => void;

/** Each parameter of a topic needs a value of whoever publishes to it, and none has another. */
export function checkParameters(
  names: readonly string[],
  given: Readonly<Record<string, string>> | undefined,
  who: string,
  place: (pointer: string) => Finding['place'],
  report: Report,
): void {
  const missing = names.filter((n) => given?.[n] === undefined);
  if (missing.length) report(finding('HNG-335', `${who}: no value for ${missing.join(', ')}`, place('/parameters')));
  for (const n of Object.keys(given ?? {}))
    if (!names.includes(n))
      report(
        finding(
          'HNG-335',
          `${who}: the topic has no parameter ${n}${names.length ? `, but ${names.join(', ')}` : ''}`,
          place(`/parameters/${n}`),
          'Take it out, or write it as {name} in the address of the topic.',
        ),
      );
}

/** Findings about the parameters of one topic: those of its address, of its paths, and what is said of them. */
export function checkFamily(name: string, topic: TopicDocument, shown: boolean, report: Report): void {
  const pointer = topicPointer(name);
  const address = topic.address ?? name;
  const names = topicParameters(name, topic);
  if (/[{}]/.test(address.replace(/\{[A-Za-z0-9_-]{1,100}\}/g, '')))
    report(
      finding(
        'HNG-335',
        `the address "${address}" of the topic ${name} has a brace that belongs to no parameter`,
        { pointer: `${pointer}/address` },
        'Write a parameter as {name}, of letters, digits, _ and -.',
      ),
    );
  for (const n of Object.keys(topic.parameters ?? {}))
    if (!names.includes(n))
      report(
        finding(
          'HNG-335',
          `the topic ${name} says something of ${n}, which its address does not have`,
          { pointer: `${pointer}/parameters/${n}` },
          `Write {${n}} in the address, or take it out.`,
        ),
      );
  if (!shown) return;
  const paths = [
    [channelPath(name, topic), '/door/path'],
    ...(topic.door?.callback ? [[topic.door.callback.path, '/door/callback/path']] : []),
  ] as const;
  for (const [path, at] of paths) {
    const own = parameterNames(path!);
    const missing = names.filter((n) => !own.includes(n));
    const strange = own.filter((n) => !names.includes(n));
    if (missing.length)
      report(
        finding(
          'HNG-335',
          `the path ${path!} of the topic ${name} has no place for ${missing.join(', ')}`,
          { pointer: pointer + at! },
          `Write ${missing.map((n) => `{${n}}`).join(' and ')} in the path.`,
        ),
      );
    if (strange.length)
      report(
        finding(
          'HNG-335',
          `the path ${path!} has ${strange.join(', ')}, which the address "${address}" of the topic ${name} does not have`,
          { pointer: pointer + at! },
          'Write it in the address too, or take it out of the path.',
        ),
      );
  }
}
