"""Makes register.xlsx, the parts register as a workbook, of parts.csv: with stock numbers that a number format shows with zeros, numbers
and dates. Needs openpyxl.
"""

import csv
import datetime as dt
from pathlib import Path

import openpyxl
from openpyxl.styles import Font

here = Path(__file__).parent
book = openpyxl.Workbook()
sheet = book.active
sheet.title = "Parts"
sheet.append(["part_code", "stock_no", "description", "depot", "quantity", "price", "received"])
with open(here / "parts.csv", newline="") as file:
    for number, row in enumerate(csv.DictReader(file), 1):
        received = dt.date.fromisoformat(row["received"]) if row["received"] else None
        quantity = int(row["quantity"]) if row["quantity"].isdigit() else row["quantity"] or None
        price = round(number * 37 % 9973 / 4, 2)
        sheet.append([row["part_code"], number * 61 % 40009, row["description"], row["depot"], quantity, price, received])
        sheet.cell(number + 1, 2).number_format = "00000"
        sheet.cell(number + 1, 6).number_format = "#,##0.00"
        sheet.cell(number + 1, 7).number_format = "dd.mm.yyyy"
for cell in sheet[1]:
    cell.font = Font(bold=True)
for column, width in zip("ABCDEFG", (22, 10, 26, 18, 10, 12, 14)):
    sheet.column_dimensions[column].width = width
sheet.freeze_panes = "A2"
depots = book.create_sheet("Depots")
depots.append(["depot", "altitude"])
for name, altitude in (("Valley", 640), ("Midway", 1310), ("Summit", 2045), ("Workshop, east", 652)):
    depots.append([name, altitude])
book.properties.creator = "Skarn Ropeway"
book.properties.created = book.properties.modified = dt.datetime(2025, 1, 1)
book.save(here / "register.xlsx")
