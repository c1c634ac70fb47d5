'use client';
import type { FlowDocument, GuardDocument } from '@hinge/core';
import { isInterfaceType, isObjectType, type GraphQLSchema } from 'graphql';
import { useMemo } from 'react';
import { GuardsEditor } from '../shape/guards-editor';
import { Search } from './search';

interface Props {
  readonly document: FlowDocument;
  readonly schema: GraphQLSchema;
  readonly readOnly?: boolean;
  readonly onChange: (document: FlowDocument) => void;
}

/** Guards of single fields: a request that names such a field is let in by them, or refused as a whole. */
export function GuardedFields({ document, schema, readOnly, onChange }: Props) {
  const { fields = {}, ...graph } = document.graph ?? {};
  const names = useMemo(() => fieldNames(schema), [schema]);
  const put = (name: string, guards: GuardDocument[] | undefined) => {
    const { [name]: _gone, ...rest } = fields;
    const next = guards ? { ...fields, [name]: { guards } } : rest;
    onChange({ ...document, graph: { ...graph, ...(Object.keys(next).length > 0 && { fields: next }) } });
  };
  return (
    <section aria-label="Guarded fields" className="column graph-joins" style={{ gap: 6 }}>
      <div className="row" style={{ gap: 12 }}>
        <h3>Guarded fields</h3>
        <span className="soft">whoever names one has to pass its guards, besides those of the door</span>
        <span className="grow" />
        {!readOnly && (
          <Search
            label="Guard a field"
            placeholder="Guard a field …"
            options={names.filter((n) => !Object.hasOwn(fields, n))}
            value=""
            width={230}
            takes
            onChange={(name) => name && put(name, [{ kind: 'key' }])}
          />
        )}
      </div>
      {Object.entries(fields).map(([name, { guards }]) => (
        <div key={name} className="row" style={{ alignItems: 'flex-start', gap: 12 }}>
          <span
            className={names.includes(name) ? 'mono' : 'mono rust'}
            title={name}
            style={{ width: 220, flex: 'none', overflow: 'hidden', textOverflow: 'ellipsis', paddingTop: 6 }}
          >
            {name}
          </span>
          <GuardsEditor
            label={`of the field ${name}`}
            guards={guards}
            readOnly={readOnly}
            onChange={(g) => put(name, g)}
          />
        </div>
      ))}
      {!Object.keys(fields).length && (
        <span className="soft">None: what comes through the door may ask for every field.</span>
      )}
    </section>
  );
}

/** As Type.field, in the order of the schema. */
function fieldNames(schema: GraphQLSchema): string[] {
  return Object.values(schema.getTypeMap()).flatMap((type) =>
    (isObjectType(type) || isInterfaceType(type)) && !type.name.startsWith('__')
      ? Object.keys(type.getFields()).map((field) => `${type.name}.${field}`)
      : [],
  );
}
