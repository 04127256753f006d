import type { Cell, CellStyle, CellValue, DataValidation } from "hucre/xlsx";
import type { Sheet, SheetCell, SheetColumn } from "./sheet.js";

/** The most characters that a cell of a spreadsheet holds. */
export const mostInCell = 32_767;

/** The sheet in which the options of choices stand: a list within a validation may have 255 characters only. */
const choicesName = "quill.choices";

/** A sheet's name takes 31 characters, and some signs not. */
const sheetName = (name: string): string =>
  name
    .replaceAll(/[[\]:*?/\\']/g, " ")
    .trim()
    .slice(0, 31) || "Records";

const letterOf = (index: number): string =>
  index < 26 ? String.fromCharCode(65 + index) : `${letterOf(Math.floor(index / 26) - 1)}${letterOf(index % 26)}`;

/** A space is left below the last row, for new records. */
const rowsBelow = 1000;

function validationOf(
  { demand, refusal, mayBeEmpty }: SheetColumn,
  index: number,
  rows: number,
  lists: string[][],
): DataValidation[] {
  if (!demand || refusal === "") return [];
  const letter = letterOf(index);
  const common = {
    range: `${letter}2:${letter}${rows + 1 + rowsBelow}`,
    allowBlank: mayBeEmpty,
    showErrorMessage: true,
    errorStyle: "stop",
    errorMessage: refusal.slice(0, 255),
  } as const;
  if (demand.is === "choice") {
    if (demand.options.length === 0) return [];
    const place = letterOf(lists.push([...demand.options]) - 1);
    return [{ ...common, type: "list", formula1: `'${choicesName}'!$${place}$1:$${place}$${demand.options.length}` }];
  }
  if (demand.is === "length")
    return [{ ...common, type: "textLength", operator: "lessThanOrEqual", formula1: String(demand.most) }];
  const { is: type, least, most } = demand;
  if (least !== null && most !== null)
    return [{ ...common, type, operator: "between", formula1: least, formula2: most }];
  if (least !== null) return [{ ...common, type, operator: "greaterThanOrEqual", formula1: least }];
  if (most !== null) return [{ ...common, type, operator: "lessThanOrEqual", formula1: most }];
  // A bound has to be named: the greatest that a spreadsheet knows.
  return [{ ...common, type, operator: "between", formula1: "-1E+300", formula2: "1E+300" }];
}

/** Columns beside each other as rows. */
const turned = (columns: readonly (readonly string[])[]): CellValue[][] =>
  Array.from({ length: Math.max(0, ...columns.map(({ length }) => length)) }, (_, row) =>
    columns.map((column) => column[row] ?? null),
  );

const marked: CellStyle = { fill: { type: "pattern", pattern: "solid", fgColor: { rgb: "FFF1D6" } } };

const cellValue = ({ text, real }: SheetCell): CellValue => (text === "" ? null : (real ?? text.slice(0, mostInCell)));

/**
 * Writes a workbook (ECMA-376, Office Open XML): cells of open columns can be changed, others are locked without a password, choices and types are
 * the spreadsheet's own validation. No formula is written: a text that looks like one is a text.
 */
export async function writeXlsx({ name, isRightToLeft, columns, rows }: Sheet): Promise<Uint8Array> {
  const { writeXlsx: written } = await import("hucre/xlsx");
  const lists: string[][] = [];
  const styles = columns.map(
    ({ isOpen, format, isCut }): CellStyle => ({
      numFmt: format,
      protection: { locked: !isOpen },
      alignment: { vertical: "top", ...(isCut ? { horizontal: "fill" } : {}) },
    }),
  );
  const cells = new Map<string, Partial<Cell>>();
  for (const [index, { heading, note }] of columns.entries())
    cells.set(`0,${index}`, {
      value: heading,
      type: "string",
      style: { font: { bold: true, name: "Calibri", size: 11 }, protection: { locked: true } },
      ...(note === null ? {} : { comment: { text: note } }),
    });
  for (const [row, line] of rows.entries())
    for (const [index, cell] of line.entries())
      if (cell.note)
        cells.set(`${row + 1},${index}`, {
          value: cellValue(cell),
          type: cell.real === undefined ? "string" : typeof cell.real === "number" ? "number" : "date",
          style: { ...styles[index], ...marked },
          comment: { text: cell.note },
        });
  const dataValidations = columns.flatMap((column, index) => validationOf(column, index, rows.length, lists));
  return written({
    stringMode: "shared",
    sheets: [
      {
        name: sheetName(name),
        columns: columns.map(({ width }, index) => ({ width, style: styles[index] ?? {} })),
        rows: [columns.map(({ heading }) => heading), ...rows.map((line) => line.map(cellValue))],
        cells,
        dataValidations,
        freezePane: { rows: 1 },
        protection: { sheet: true, sort: true, autoFilter: true, formatColumns: true, formatRows: true },
        ...(isRightToLeft ? { view: { rightToLeft: true } } : {}),
      },
      ...(lists.length > 0 ? [{ name: choicesName, rows: turned(lists), hidden: true }] : []),
    ],
  }) as Promise<Uint8Array>;
}
