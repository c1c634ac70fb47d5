'use client';
import { json } from '@codemirror/lang-json';
import { EditorView } from '@codemirror/view';
import TextField from '@mui/material/TextField';
import CodeMirror from '@uiw/react-codemirror';
import {
  bodiesOfRequest,
  bodyFor,
  readJson,
  sampleBody,
  writeJson,
  type CaseDocument,
  type FlowDocument,
  type ParameterDocument,
  type TypeTable,
} from '@hinge/core';
import { useState } from 'react';
import { ChoiceRow } from './fields';
import { editorLook } from './editor-look';
import { ListRow } from './list-row';

type Operation = FlowDocument['operations'][string];

interface Props {
  readonly operation: Operation;
  readonly sample: CaseDocument;
  readonly types: TypeTable;
  readonly readOnly?: boolean;
  readonly onChange: (request: CaseDocument['request']) => void;
}

const wrap = EditorView.lineWrapping;
const ariaLabel = EditorView.contentAttributes.of({ 'aria-label': 'Body of the request' });

/** The request of a case, to be changed: parameters as fields, the body as text. Broken JSON is sent as it is, on purpose. */
export function RequestPin({ operation, sample, types, readOnly, onChange }: Props) {
  const r = sample.request;
  const [text, setText] = useState(() => bodyText(r.body));
  const places = { path: 'path', query: 'query', header: 'headers', cookie: 'cookies' } as const;
  const valueAt = (place: keyof typeof places, name: string): unknown =>
    (r[places[place]] as Record<string, unknown> | undefined)?.[name];
  const current = (place: keyof typeof places, name: string): string => {
    const v = valueAt(place, name);
    if (v === undefined) return '';
    if (Array.isArray(v) && v.every((one) => one === null || typeof one !== 'object')) return v.join(', ');
    return v !== null && typeof v === 'object' ? writeJson(v) : String(v as string);
  };
  const isList = ({ schema, mediaType, ...p }: ParameterDocument): boolean => {
    const v = valueAt(p.in, p.name);
    const plain = v === undefined || (Array.isArray(v) && v.every((one) => one === null || typeof one !== 'object'));
    return schema.type === 'array' && mediaType === undefined && plain;
  };
  const listAt = (p: ParameterDocument): string[] | undefined =>
    (valueAt(p.in, p.name) as unknown[] | undefined)?.map(String);
  const put = ({ in: place, name }: ParameterDocument, value: unknown) => {
    const key = places[place];
    const { [name]: _old, ...rest } = (r[key] ?? {}) as Record<string, unknown>;
    onChange({ ...r, [key]: value === undefined ? rest : { ...rest, [name]: value } });
  };
  const set = (p: ParameterDocument, value: string) =>
    put(p, value === '' ? undefined : /^[[{]/.test(value) && p.in !== 'header' ? bodyValue(value) : value);
  /** Another of the bodies that the operation takes, with something in it to begin with. */
  const toBody = (wanted: string) => {
    const { mediaType, body } = sampleBody(operation, wanted, types);
    const { 'content-type': _old, ...headers } = r.headers ?? {};
    setText(bodyText(body));
    onChange({ ...r, body, headers: mediaType === JSON_TYPE ? headers : { ...headers, 'content-type': mediaType } });
  };
  const setBody = (t: string) => {
    setText(t);
    onChange({ ...r, body: t.trim() === '' ? undefined : bodyValue(t) });
  };
  return (
    <section className="leaf request-editor" aria-label="The request of the case">
      <div className="leaf-head">
        <h2>Case: {sample.name}</h2>
      </div>
      {sample.note && <div className="leaf-facts">{sample.note}</div>}
      <div className="leaf-body" style={{ padding: '4px 16px 16px' }}>
        <div style={{ display: 'grid', gridTemplateColumns: 'max-content 1fr', gap: '6px 14px', alignItems: 'center' }}>
          {(operation.parameters ?? []).map((p) => (
            <div key={`${p.in} ${p.name}`} style={{ display: 'contents' }}>
              <label htmlFor={`parameter-${p.in}-${p.name}`} className="mono" title={p.description}>
                {p.name}{' '}
                <span className="soft" style={{ fontFamily: 'inherit' }}>
                  {p.in}
                </span>
                {p.required && <span className="brass"> *</span>}
              </label>
              {isList(p) ? (
                <ListRow
                  id={`parameter-${p.in}-${p.name}`}
                  label={p.name}
                  mono
                  values={listAt(p)}
                  placeholder="several, with commas"
                  readOnly={readOnly}
                  onChange={(all) => put(p, all)}
                />
              ) : (
                <TextField
                  id={`parameter-${p.in}-${p.name}`}
                  disabled={readOnly}
                  value={current(p.in, p.name)}
                  onChange={(e) => set(p, e.target.value)}
                  slotProps={{ htmlInput: { className: 'mono' } }}
                />
              )}
            </div>
          ))}
        </div>
        {(operation.request ?? operation.method === 'ANY') && (
          <div style={{ marginTop: 12 }}>
            <div className="row soft">
              <span>Body,</span>
              {operation.request?.others?.length ? (
                <ChoiceRow
                  hideLabel
                  label="Content type of the body"
                  width={300}
                  value={typeOfBody(operation, r.headers?.['content-type'])}
                  options={bodiesOfRequest(operation.request).map((b) => [
                    b.mediaType ?? JSON_TYPE,
                    b.mediaType ?? JSON_TYPE,
                  ])}
                  readOnly={readOnly}
                  onChange={toBody}
                />
              ) : (
                <span>{operation.request?.mediaType ?? JSON_TYPE}</span>
              )}
            </div>
            <div className="frame">
              <CodeMirror
                indentWithTab={false}
                value={text}
                readOnly={readOnly}
                onChange={setBody}
                theme="none"
                extensions={[json(), editorLook, wrap, ariaLabel]}
                basicSetup={{ foldGutter: false, highlightActiveLine: false, highlightActiveLineGutter: false }}
              />
            </div>
          </div>
        )}
      </div>
    </section>
  );
}

const JSON_TYPE = 'application/json';

/** Which of the operation's bodies the case sends. */
const typeOfBody = ({ request }: Operation, given: string | undefined): string =>
  bodyFor(bodiesOfRequest(request ?? {}), given).mediaType ?? JSON_TYPE;

function bodyText(body: unknown): string {
  if (body === undefined) return '';
  return typeof body === 'string' ? body : writeJson(body, 2);
}

/** Kept as a value where nothing is lost by it, as text where digits or broken JSON must stay as they are. */
function bodyValue(text: string): unknown {
  try {
    const plain = JSON.parse(text) as unknown;
    return writeJson(readJson(text)) === JSON.stringify(plain) ? plain : text;
  } catch {
    return text;
  }
}
