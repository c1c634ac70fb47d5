'use client';
import TextField from '@mui/material/TextField';

interface Props {
  readonly environments: readonly { name: string; title: string }[];
  readonly values: Readonly<Record<string, string>>;
  /** What stands in an empty field: what it means to leave it so. */
  readonly empty: string;
  readonly onChange: (values: Record<string, string>) => void;
}

/** Two cells for each environment: its name and the address there. Stands in a grid of two columns. */
export function AddressFields({ environments, values, empty, onChange }: Props) {
  return environments.map((e) => (
    <div key={e.name} style={{ display: 'contents' }}>
      <label htmlFor={`address-${e.name}`} className="soft">
        Address in {e.name}
      </label>
      <TextField
        id={`address-${e.name}`}
        value={values[e.name] ?? ''}
        onChange={(x) => onChange({ ...values, [e.name]: x.target.value })}
        placeholder={empty}
        slotProps={{ htmlInput: { className: 'mono' } }}
      />
    </div>
  ));
}
