// Tables that can be sorted and filtered; without this, they are plain.
for (const table of document.querySelectorAll("table.sorted")) {
  const body = table.tBodies[0];
  table.querySelectorAll("thead th").forEach((head, column) => {
    const button = document.createElement("button");
    button.type = "button";
    button.append(...head.childNodes);
    head.append(button);
    button.addEventListener("click", () => {
      const down = head.getAttribute("aria-sort") === "ascending";
      const key = (row) => row.cells[column].dataset.sort ?? row.cells[column].textContent;
      const compare = (a, b) => key(a).localeCompare(key(b), undefined, { numeric: true });
      table.querySelectorAll("th").forEach((other) => other.removeAttribute("aria-sort"));
      head.setAttribute("aria-sort", down ? "descending" : "ascending");
      [...body.rows].sort((a, b) => (down ? compare(b, a) : compare(a, b))).forEach((row) => body.append(row));
    });
  });
  // A short table is seen at one glance.
  if (body.rows.length < 8) continue;
  const filter = document.createElement("input");
  filter.className = "filter";
  filter.type = "search";
  filter.placeholder = "Show rows with …";
  filter.setAttribute("aria-label", "Show rows of this table with");
  filter.addEventListener("input", () => {
    const wanted = filter.value.toLowerCase();
    for (const row of body.rows) row.hidden = !row.textContent.toLowerCase().includes(wanted);
  });
  table.parentElement.before(filter);
}
