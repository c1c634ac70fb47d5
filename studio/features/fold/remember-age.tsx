import type { StepDocument } from '@hinge/core';
import { ChoiceRow, NumberRow } from './fields';

const YEAR_S = 31_536_000;

/** How a remembered result ages: by whose word, and what it is still good for behind its end. */
export function RememberAge({
  step,
  readOnly,
  onChange,
}: {
  step: Extract<StepDocument, { kind: 'remember' }>;
  readOnly?: boolean;
  onChange: (step: StepDocument) => void;
}) {
  return (
    <>
      <ChoiceRow
        label="What the backend says of its reply"
        value={step.obey ? 'obeyed' : 'not'}
        options={[
          ['not', 'is not looked at'],
          ['obeyed', 'counts (RFC 9111); the seconds are the most'],
        ]}
        readOnly={readOnly}
        onChange={(v) => onChange({ ...step, obey: v === 'obeyed' ? true : undefined })}
      />
      <NumberRow
        label="Seconds that it is still given while it is fetched anew"
        value={step.staleWhileSeconds}
        least={0}
        most={YEAR_S}
        placeholder="not at all"
        readOnly={readOnly}
        onChange={(n) => onChange({ ...step, staleWhileSeconds: n })}
      />
      <NumberRow
        label="Seconds that it is still given when that fails"
        value={step.staleOnErrorSeconds}
        least={0}
        most={YEAR_S}
        placeholder="not at all"
        readOnly={readOnly}
        onChange={(n) => onChange({ ...step, staleOnErrorSeconds: n })}
      />
    </>
  );
}
