'use client';
import Autocomplete, { createFilterOptions } from '@mui/material/Autocomplete';
import TextField from '@mui/material/TextField';

/** Contracts have hundreds of types and operations: as many as one reads are shown of what fits. */
const narrowed = createFilterOptions<string>({ limit: 80 });

/** One of many names, found by some letters of it. */
export function Search({
  label,
  placeholder,
  options,
  value,
  width,
  takes,
  onChange,
}: {
  label: string;
  placeholder: string;
  options: readonly string[];
  value: string;
  width: number;
  /** What is chosen goes elsewhere: the field is empty again. */
  takes?: boolean;
  onChange: (value: string) => void;
}) {
  return (
    <Autocomplete
      size="small"
      openOnFocus
      autoHighlight
      blurOnSelect={takes}
      options={options}
      filterOptions={narrowed}
      value={value || null}
      onChange={(_e, v) => onChange(v ?? '')}
      sx={{ width, '& .MuiOutlinedInput-root': { minHeight: 30, height: 30, py: 0 } }}
      noOptionsText="Nothing is called like this."
      renderInput={({ slotProps, ...params }) => (
        <TextField
          {...params}
          placeholder={placeholder}
          slotProps={{ ...slotProps, htmlInput: { ...slotProps.htmlInput, 'aria-label': label } }}
        />
      )}
    />
  );
}
