/** The first rows of a table that somebody brought, as they stand in it; under a column's name what it is taken for. */
type Props = { names: string[]; rows: string[][]; taken?: (column: number) => string };

export function FirstRows({ names, rows, taken }: Props) {
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: a wide table is scrolled by the arrow keys
    <div className="overflow-x-auto" tabIndex={0} role="region" aria-label="The first rows of the file">
      <table className="border-collapse font-mono text-[15px]">
        <thead>
          <tr>
            {names.map((name, i) => (
              <th key={name} scope="col" className="border-b border-line px-3 py-1 text-left">
                {name}
                {taken ? (
                  <span className="block font-sans text-[14px] font-normal text-go">{taken(i) || "\u00a0"}</span>
                ) : null}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((row, i) => (
            <tr key={`${i}-${row.join()}`}>
              {row.map((cell, j) => (
                <td key={`${j}-${names[j]}`} className="whitespace-nowrap px-3 py-0.5">
                  {cell}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
