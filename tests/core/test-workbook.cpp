#include "workbook.h"

#include <random>
#include <string>

#include "check.h"
#include "xml.h"

using namespace rowanroot;

namespace {

const std::string sheet =
    "<?xml version=\"1.0\"?><!-- none --><x:worksheet><x:sheetData><x:row r=\"1\"><x:c r=\"A1\" "
    "t=\"s\"><x:v>0</x:v></x:c><x:c r=\"B1\" t=\"inlineStr\"><x:is><x:t>k&amp;g</x:t></x:is></x:c></x:row>"
    "<x:row r=\"3\"><x:c r=\"A3\" s=\"1\"><x:v>46023</x:v></x:c><x:c r=\"C3\"><x:f>1+1</x:f></x:c><x:c "
    "t=\"e\"><x:v>#N/A</x:v></x:c></x:row><x:row rowanroot:missing=\"1\"/></x:sheetData></x:worksheet>";

// Whether the text is read, or told to be wrong.
void read(const std::string& text) {
  try {
    sheet_cells(text, {"hive"}, {NumberIs::number, NumberIs::moment});
    shared_strings(text);
    number_styles(text);
    workbook_parts(text, text, "xl/");
  } catch (const XmlError&) {
  } catch (const SheetProblem&) {
  }
}

std::string written(const std::string& text) {
  std::string to;
  write_cell_text(text, &to);
  return to;
}

}  // namespace

TEST("cells have a place, a kind and a value") {
  const SheetCells found = sheet_cells(sheet, {"hive"}, {NumberIs::number, NumberIs::moment});
  CHECK(found.rows == 4);
  CHECK(found.cells.size() == 5);
  CHECK(found.cells[0].is == CellIs::text && found.cells[0].text == 0);
  CHECK(found.own_texts[found.cells[1].text - 1] == "k&g");
  CHECK(found.cells[2].is == CellIs::moment && found.cells[2].number == 46023 && found.cells[2].row == 2);
  CHECK(found.cells[3].is == CellIs::unsaved && found.cells[3].column == 2);
  CHECK(found.cells[4].is == CellIs::error && found.cells[4].column == 3);
  CHECK(cell_name(0, 0) == "A1" && cell_name(9, 25) == "Z10" && cell_name(0, 26) == "AA1" &&
        cell_name(1048575, 16383) == "XFD1048576");
}

TEST("rows and columns that no sheet has are told") {
  for (const char* bad : {"<row r=\"0\"><c><v>1</v></c></row>", "<row r=\"9999999999\"><c><v>1</v></c></row>",
                          "<row r=\"-3\"><c><v>1</v></c></row>", "<row r=\"1048577\"><c><v>1</v></c></row>",
                          "<row><c r=\"XFE1\"><v>1</v></c></row>", "<row><c r=\"A0\"><v>1</v></c></row>",
                          "<row><c r=\"A1048577\"><v>1</v></c></row>", "<row><c r=\"1A\"><v>1</v></c></row>"}) {
    bool told = false;
    try {
      sheet_cells(bad, {}, {});
    } catch (const XmlError&) {
      told = true;
    }
    CHECK(told);
  }
}

TEST("number formats show days, times, durations or numbers") {
  const auto style = [](const std::string& format) {
    return number_styles("<s><numFmts><numFmt numFmtId=\"170\" formatCode=\"" + format +
                         "\"/></numFmts><cellXfs><xf numFmtId=\"170\"/></cellXfs></s>")[0];
  };
  for (const char* format : {"yyyy-mm-dd", "d/m/yy", "mmm", "dd\\.mm\\.yyyy hh:mm", "[$-409]mmmm d"})
    CHECK(style(format) == NumberIs::moment);
  for (const char* format : {"h:mm", "hh:mm:ss", "mm:ss.0"}) CHECK(style(format) == NumberIs::time_of_day);
  for (const char* format : {"[h]:mm", "[mm]:ss"}) CHECK(style(format) == NumberIs::duration);
  for (const char* format : {"0.00", "General", "#,##0 &quot;days&quot;", "0.00E+00", "[Red]0", "0\\d", "@"})
    CHECK(style(format) == NumberIs::number);
}

TEST("texts are written so that they are read as they were") {
  for (const std::string& text :
       {std::string("_x0041_"), std::string("_x005F_"), std::string("a\r\n\x01"), std::string("<&>"),
        std::string("\xEF\xBF\xBE"), std::string("_x_x0041_"), std::string("_x00")}) {
    const SheetCells found =
        sheet_cells("<row><c t=\"inlineStr\"><is><t>" + written(text) + "</t></is></c></row>", {}, {});
    CHECK(found.own_texts.size() == 1 && found.own_texts[0] == text);
  }
}

TEST("bytes that are changed at random are an error or a sheet") {
  std::mt19937 random(6);
  for (int k = 0; k < 20000; ++k) {
    std::string text = sheet;
    for (int n = 0; n < 3; ++n) text[random() % text.size()] = static_cast<char>(random());
    text.resize(text.size() - (k % 4 ? 0 : random() % text.size()));
    read(text);
  }
  CHECK(true);
}

TEST("entities are the characters that they stand for") {
  Xml xml("<t>a&#65;&#x1F41D;&lt;&gt;&amp;&quot;&apos;&#10;\r\n\r</t>");
  CHECK(xml.next() == Xml::open && xml.next() == Xml::text);
  CHECK(xml.content() == "aA\xF0\x9F\x90\x9D<>&\"'\n\n\n");
  for (const char* wrong : {"&#0;", "&#x110000;", "&#;", "&bee;", "&#6a;", "&amp"})
    CHECK(throws<XmlError>([&] { Xml(std::string_view(wrong)).next(); }));
}
