/** JSONata names with anything but letters, digits and _ are quoted by backticks. */
export function jsonataName(name: string): string {
  return /^[A-Za-z_][A-Za-z0-9_]*$/.test(name) &&
    !['and', 'or', 'in', 'true', 'false', 'null', 'function'].includes(name)
    ? name
    : `\`${name}\``;
}
