'use client';
import type { FlowDocument } from '@hinge/core';
import { ChoiceRow, TextRow } from '../fold/fields';
import { ListRow } from '../fold/list-row';

interface Props {
  readonly document: FlowDocument;
  readonly readOnly?: boolean;
  readonly onChange: (document: FlowDocument) => void;
}

type Api = FlowDocument['api'];

/** What the API is called, and who sees its documentation. */
export function AboutTab({ document: d, readOnly, onChange }: Props) {
  const { api } = d;
  const put = (more: Partial<Api>) => {
    const next = Object.fromEntries(Object.entries({ ...api, ...more }).filter(([, v]) => v !== undefined));
    onChange({ ...d, api: next as Api });
  };
  const groups = typeof api.visibility === 'object' ? api.visibility.groups : undefined;
  return (
    <div className="about">
      <TextRow
        label="Name"
        value={api.name}
        readOnly={readOnly}
        accept={(t) => t.trim() !== ''}
        onChange={(name) => put({ name })}
      />
      <TextRow
        label="Version of the contract"
        mono
        width={140}
        value={api.version}
        readOnly={readOnly}
        accept={(t) => t.trim() !== ''}
        onChange={(version) => put({ version })}
      />
      <TextRow
        label="What it is for"
        value={api.description}
        readOnly={readOnly}
        onChange={(description) => put({ description })}
      />
      <ListRow label="Tags, with commas" values={api.tags} readOnly={readOnly} onChange={(tags) => put({ tags })} />
      <ChoiceRow
        label="Who sees its documentation"
        width={320}
        value={groups ? 'groups' : ((api.visibility as string | undefined) ?? 'everyone')}
        options={[
          ['everyone', 'everyone'],
          ['signedIn', 'who is signed in'],
          ['groups', 'some groups'],
        ]}
        readOnly={readOnly}
        onChange={(v) =>
          put({
            visibility: v === 'everyone' ? undefined : v === 'groups' ? { groups: groups ?? ['agents'] } : 'signedIn',
          })
        }
      />
      {groups && (
        <ListRow
          label="Groups, with commas"
          needed
          values={groups}
          readOnly={readOnly}
          onChange={(all) => put({ visibility: { groups: all! } })}
        />
      )}
    </div>
  );
}
