// A table with a name. On a narrow screen each row becomes a block, its cells named.
import type { ComponentChildren } from "preact";

export interface Column<Row> {
  readonly name: string;
  readonly cell: (row: Row) => ComponentChildren;
  readonly isNumber?: boolean;
  /** The cell that names the row. */
  readonly isHead?: boolean;
}

export interface TableProps<Row> {
  readonly caption: string;
  readonly showCaption?: boolean;
  readonly columns: readonly Column<Row>[];
  readonly rows: readonly Row[];
  readonly keyOf: (row: Row) => string | number;
  readonly rowClass?: (row: Row) => string;
  /** Rows under the same heading; they must be adjacent. */
  readonly groupOf?: (row: Row) => string;
}

function Cells<Row>({ row, columns }: { row: Row; columns: readonly Column<Row>[] }) {
  return (
    <>
      {columns.map(({ name, cell, isNumber, isHead }) =>
        isHead ? (
          <th key={name} scope="row" data-name={name}>
            {cell(row)}
          </th>
        ) : (
          <td key={name} data-name={name} class={isNumber ? "number" : ""}>
            {cell(row)}
          </td>
        ),
      )}
    </>
  );
}

export function Table<Row>(props: TableProps<Row>) {
  const { caption, showCaption, columns, rows, keyOf, rowClass, groupOf } = props;
  const groups: { name: string; rows: Row[] }[] = [];
  for (const row of rows) {
    const name = groupOf?.(row) ?? "";
    const last = groups.at(-1);
    if (last && last.name === name) last.rows.push(row);
    else groups.push({ name, rows: [row] });
  }
  return (
    <table>
      <caption class={showCaption ? "" : "unseen"}>{caption}</caption>
      <thead>
        <tr>
          {columns.map(({ name, isNumber }) => (
            <th key={name} scope="col" class={isNumber ? "number" : ""}>
              {name}
            </th>
          ))}
        </tr>
      </thead>
      {groups.map((group) => (
        <tbody key={group.name}>
          {groupOf && (
            <tr class="group">
              <th scope="rowgroup" colSpan={columns.length}>
                {group.name}
              </th>
            </tr>
          )}
          {group.rows.map((row) => (
            <tr key={keyOf(row)} class={rowClass?.(row) ?? ""}>
              <Cells row={row} columns={columns} />
            </tr>
          ))}
        </tbody>
      ))}
    </table>
  );
}
