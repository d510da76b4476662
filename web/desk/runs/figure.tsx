/** A figure in a readable form; its exact value is in the page as well. */
export function Figure({ value, digits = 1, mark = false }: { value: number | null | undefined; digits?: number; mark?: boolean }) {
  if (value === null || value === undefined) return <span>–</span>;
  return <data value={value}>{value.toFixed(digits)}{mark && <abbr title="of too few frames for its share">*</abbr>}</data>;
}
