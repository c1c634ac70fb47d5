'use client';
import { precedenceOf, type FlowDocument, type GuardDocument } from '@hinge/core';
import { ChoiceRow, RowMoves, TextRow } from '../fold/fields';
import { DoorSteps } from './door-steps';
import { GuardsEditor } from './guards-editor';
import { WaysIn } from './ways-in';
import { ListRow } from '../fold/list-row';

interface Props {
  readonly document: FlowDocument;
  readonly address: string | undefined;
  /** Guards of the workspace. */
  readonly workspace: readonly GuardDocument[];
  readonly readOnly?: boolean;
  readonly onChange: (document: FlowDocument) => void;
}

type Door = FlowDocument['doors'][number];

/** Ways in over the same flows, what each answers, and in which order paths are tried. */
export function DoorsTab({ document: d, address, workspace, readOnly, onChange }: Props) {
  const set = (i: number, door: Door | undefined) =>
    onChange({ ...d, doors: d.doors.flatMap((x, n) => (n !== i ? [x] : door ? [door] : [])) });
  const base = d.doors[0]?.path ?? `/${d.api.name.toLowerCase().replace(/[^a-z0-9]+/g, '-')}`;
  return (
    <>
      <div className="frame">
        <table aria-label="Doors" className="settings">
          <thead>
            <tr>
              <th>Door</th>
              <th>Base path</th>
              <th>Hosts</th>
              <th>Answers</th>
              <th>Address now</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {d.doors.map((door, i) => (
              <tr key={i}>
                <td>
                  <TextRow
                    hideLabel
                    width={110}
                    label={`Name of door ${i + 1}`}
                    value={door.name}
                    readOnly={readOnly}
                    accept={(t) =>
                      /^[A-Za-z_][A-Za-z0-9_-]*$/.test(t) && !d.doors.some((x, n) => n !== i && x.name === t)
                    }
                    onChange={(t) => set(i, { ...door, name: t! })}
                  />
                </td>
                <td>
                  <TextRow
                    hideLabel
                    mono
                    width={170}
                    label={`Base path of ${door.name}`}
                    value={door.path}
                    readOnly={readOnly}
                    accept={(t) => t.startsWith('/')}
                    onChange={(t) => set(i, { ...door, path: t! })}
                  />
                </td>
                <td>
                  <ListRow
                    hideLabel
                    mono
                    width={150}
                    label={`Hosts of ${door.name}`}
                    values={door.hosts}
                    placeholder="every host"
                    readOnly={readOnly}
                    onChange={(hosts) => set(i, { ...door, hosts })}
                  />
                </td>
                <td>
                  <ChoiceRow
                    hideLabel
                    width={150}
                    label={`What ${door.name} answers`}
                    value={door.answers ?? ''}
                    options={[
                      ['', 'what is asked for'],
                      ['json', 'always JSON'],
                      ['xml', 'always XML'],
                      ['graphql', 'a graph (GraphQL)'],
                      ['events', 'events, a path for each topic'],
                    ]}
                    readOnly={readOnly}
                    onChange={(a) => set(i, { ...door, answers: a === '' ? undefined : (a as Door['answers']) })}
                  />
                </td>
                <td className="mono">{address ? `${address}${door.path}` : ''}</td>
                <td>
                  <RowMoves
                    index={i}
                    count={d.doors.length}
                    what={`door ${door.name}`}
                    readOnly={readOnly}
                    onRemove={() => set(i, undefined)}
                  />
                </td>
              </tr>
            ))}
            {!d.doors.length && (
              <tr>
                <td colSpan={6} className="soft">
                  No door: callers outside get 404, other flows may call this API.
                </td>
              </tr>
            )}
          </tbody>
        </table>
      </div>
      {!readOnly && (
        <div>
          <button
            className="plain spruce"
            onClick={() => {
              let n = d.doors.length + 1;
              while (d.doors.some((x) => x.name === `door${n}`)) n++;
              onChange({
                ...d,
                doors: [
                  ...d.doors,
                  {
                    name: d.doors.length ? `door${n}` : 'public',
                    path: d.doors.length ? `${base.replace(/\/v\d+$/, '')}/v${n}` : base,
                  },
                ],
              });
            }}
          >
            Add a door
          </button>
        </div>
      )}
      <h2>Guards</h2>
      <div className="soft">
        Who may come in, how often, with what. Of one kind the nearest counts: operation, then door, then all doors,
        then the workspace; those of a plan act besides.
      </div>
      <div className="guard-scopes">
        <div>
          <h3>all doors</h3>
          <GuardsEditor
            label="of all doors"
            guards={d.guards ?? []}
            inherited={workspace.map((guard) => ({ guard, from: 'the workspace' }))}
            readOnly={readOnly}
            onChange={(guards) => onChange({ ...d, guards })}
          />
        </div>
        {d.doors.map((door, i) => (
          <div key={door.name}>
            <h3>door {door.name}</h3>
            <GuardsEditor
              label={`of the door ${door.name}`}
              guards={door.guards ?? []}
              inherited={[
                ...workspace
                  .filter((w) => !d.guards?.some((g) => g.kind === w.kind))
                  .map((guard) => ({ guard, from: 'the workspace' })),
                ...(d.guards ?? []).map((guard) => ({ guard, from: 'all doors' })),
              ]}
              readOnly={readOnly}
              onChange={(guards) => set(i, { ...door, guards })}
            />
          </div>
        ))}
      </div>
      <WaysIn document={d} workspace={workspace} />
      <h2>Steps of the doors</h2>
      <div className="soft">
        What a door does to every request before the flow, and to every reply behind it: one flow, other shapes.
      </div>
      <div className="guard-scopes">
        {d.doors.map((door, i) => (
          <div key={door.name} className="column">
            <h3>door {door.name}, before the flow</h3>
            <DoorSteps
              label={`before the flow, door ${door.name}`}
              document={d}
              flow={door.before ?? []}
              readOnly={readOnly}
              onChange={(before) => set(i, { ...door, before: before.length ? before : undefined })}
            />
            <h3>door {door.name}, behind the flow</h3>
            <DoorSteps
              label={`behind the flow, door ${door.name}`}
              document={d}
              flow={door.after ?? []}
              after
              readOnly={readOnly}
              onChange={(after) => set(i, { ...door, after: after.length ? after : undefined })}
            />
          </div>
        ))}
      </div>
      {d.doors.some((x) => x.answers !== 'graphql') && (
        <>
          <h2>Which path is tried first</h2>
          <div className="frame">
            <table aria-label="Order of paths">
              <tbody>
                {precedenceOf(d).map((r, i) => (
                  <tr key={r.operation}>
                    <td className="soft" style={{ width: 30 }}>
                      {i + 1}
                    </td>
                    <td className="mono nowrap">
                      {r.method} {r.path}
                    </td>
                    <td>{r.operation}</td>
                    <td className="soft">{r.words}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
          <div className="soft">
            Doors with host names come before doors without; then, part by part, fixed text before parameters,
            parameters before what takes the rest.
          </div>
        </>
      )}
    </>
  );
}
