// On a narrow screen each row of a table is a card: every cell says which column it is of, so that nothing is cut off
// or scrolled to. Without this script tables scroll sideways. What a table is stays said to those who hear it, whatever
// its layout.
const labelled = new WeakSet();

function label(table) {
  const headers = [...table.querySelectorAll("thead th")];
  if (headers.length < 3 || table.matches(".weights, .links, .interactions")) return;
  const names = headers.map((header) => header.textContent.trim());
  table.classList.add("restacks");
  table.setAttribute("role", "table");
  for (const part of table.querySelectorAll("thead, tbody")) part.setAttribute("role", "rowgroup");
  for (const row of table.rows) {
    row.setAttribute("role", "row");
    let column = 0;
    for (const cell of row.cells) {
      const isHeader = cell.tagName === "TH";
      cell.setAttribute("role", !isHeader ? "cell" : cell.scope === "col" ? "columnheader" : "rowheader");
      if (!isHeader && cell.colSpan === 1) cell.dataset.label = names[column] ?? "";
      column += cell.colSpan;
    }
  }
}

function labelAll() {
  for (const table of document.querySelectorAll("main table")) {
    if (labelled.has(table)) continue;
    labelled.add(table);
    label(table);
  }
}

labelAll();
// Live figures come as new tables.
new MutationObserver(labelAll).observe(document.querySelector("main") ?? document.body, {
  childList: true,
  subtree: true,
});
