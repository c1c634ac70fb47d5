import Link from 'next/link';

/** One call, planned or measured. */
export interface Row {
  readonly field: string;
  readonly operation: string;
  readonly after?: string;
  readonly each?: string;
  /** So many items are looked up by one call. */
  readonly together?: number;
  /** Other fields that the same call answered. */
  readonly shared?: readonly string[];
  readonly fromMs?: number;
  readonly ms?: number;
  readonly status?: number;
}

interface Props {
  readonly rows: readonly Row[];
  readonly measured: boolean;
  /** It was run, and refused before anything was called. */
  readonly refused?: boolean;
  readonly problem?: string;
  /** Of the plan, and what is allowed. */
  readonly cost?: { readonly most: number; readonly allowed: number };
  /** Made for each event of a subscription. */
  readonly eachEvent?: boolean;
  readonly slug: string;
}

const SHOWN = 100;

/** The calls of a query as lines over one time: beside each other what ran at once, behind each other what had to wait. */
export function Calls({ rows, measured, refused, problem, cost, eachEvent, slug }: Props) {
  const end = Math.max(1, ...rows.map((r) => (r.fromMs ?? 0) + (r.ms ?? 0)));
  const words = rows.length === 1 ? 'one call' : `${rows.length} calls`;
  const saved = rows.reduce((n, r) => n + (r.shared?.length ?? 0), 0);
  return (
    <section aria-label="Calls" className="graph-calls" data-testid="query-calls">
      <h3>
        {measured
          ? `It made ${words}`
          : problem !== undefined
            ? 'It cannot be run yet'
            : refused
              ? 'It was refused, and made none of these calls'
              : `It will make ${words}${eachEvent ? ' for each event' : ''}`}
        {!measured && cost && problem === undefined && (
          <span className={cost.most > cost.allowed ? 'rust' : 'soft'}>
            , and may cost {cost.most} of {cost.allowed}
          </span>
        )}
        {saved > 0 && (
          <span className="soft">
            , {saved === 1 ? 'one look-up was' : `${saved} look-ups were`} answered by them too
          </span>
        )}
      </h3>
      {problem !== undefined && <div className="rust">{problem}</div>}
      {rows.slice(0, SHOWN).map((r, i) => (
        <div className="graph-call" key={`${r.field} ${i}`}>
          <span className="mono ellipsis" title={[r.field, ...(r.shared ?? [])].join(', ')}>
            {r.field}
          </span>
          <Link href={`/apis/${slug}/${r.operation}`} className="ellipsis">
            {r.operation}
          </Link>
          {measured ? (
            <span className="graph-line" aria-hidden>
              <i
                className={(r.status ?? 0) >= 400 ? 'failed' : ''}
                style={{
                  left: `${(100 * (r.fromMs ?? 0)) / end}%`,
                  width: `${Math.max(0.6, (100 * (r.ms ?? 0)) / end)}%`,
                }}
              />
            </span>
          ) : (
            <span className="soft ellipsis">
              {r.after === undefined ? 'at once' : `behind ${r.after}`}
              {r.each !== undefined &&
                (r.together === undefined
                  ? `, once for each different item of ${r.each}`
                  : `, for all items of ${r.each} together, ${r.together} to a call`)}
            </span>
          )}
          <span className="graph-ms">
            {measured && (
              <>
                {(r.status ?? 0) >= 400 && <b className="rust">{r.status} </b>}
                {(r.ms ?? 0).toFixed((r.ms ?? 0) < 10 ? 1 : 0)} ms
              </>
            )}
          </span>
        </div>
      ))}
      {rows.length > SHOWN && <div className="soft">and {rows.length - SHOWN} more</div>}
    </section>
  );
}
