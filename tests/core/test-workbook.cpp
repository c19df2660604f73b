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

TEST("the first style counts, texts of cells are numbered on, and marked sections are text") {
  const SheetCells found = sheet_cells(
      "<row><c s=\"0\"><v>46023</v></c><c t=\"inlineStr\"><is><t>a</t></is></c><c t=\"str\"><v>b</v></c>"
      "<c t=\"inlineStr\"><is><t>c<![CDATA[<d>]]>e</t></is></c></row>",
      {"hive", "apiary"}, {NumberIs::moment});
  CHECK(found.cells.size() == 4 && found.cells[0].is == CellIs::moment);
  for (std::uint32_t k = 0; k < 3; ++k) CHECK(found.cells[k + 1].text == 2 + k);
  CHECK(found.own_texts == (std::vector<std::string>{"a", "b", "c<d>e"}));
}

TEST("names of cells have all letters and digits") {
  for (std::uint32_t row = 0; row < 100; ++row) {
    const std::uint32_t column = (row * 37) % 703;
    const std::string name = cell_name(row, column);
    const SheetCells found = sheet_cells("<row><c r=\"" + name + "\"><v>1</v></c></row>", {}, {});
    CHECK(found.cells.size() == 1 && found.cells[0].row == row && found.cells[0].column == column);
  }
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
  // What XML can't have is written by its number, after other bytes too.
  CHECK(written("ab\xEF\xBF\xBE") == "ab_xFFFE_" && written("ab\xEF\xBF\xBF!") == "ab_xFFFF_!");
  CHECK(written("\xEF\xBF\xBD") == "\xEF\xBF\xBD" && written("\xEF\xBF") == "\xEF\xBF");
  CHECK(written("a\tb\nc") == "a\tb\nc" && written("\x07") == "_x0007_" && written("_x0041_") == "_x005F_x0041_");
}

TEST("the parts of a workbook are where its relationships say, seen from its folder or from the whole package") {
  const auto file_of = [](const std::string& target, const std::string& folder) {
    const WorkbookParts parts = workbook_parts(
        "<workbook><sheets><sheet name=\"a\" r:id=\"r1\"/></sheets></workbook>",
        "<r><Relationship Id=\"r1\" Type=\"http://x/worksheet\" Target=\"" + target + "\"/></r>", folder);
    return parts.sheets.size() == 1 ? parts.sheets[0].file : "none";
  };
  CHECK(file_of("worksheets/sheet1.xml", "xl/") == "xl/worksheets/sheet1.xml");
  CHECK(file_of("/other/sheet1.xml", "xl/") == "other/sheet1.xml");
  CHECK(file_of("../sheets/sheet1.xml", "xl/") == "sheets/sheet1.xml");
  CHECK(file_of("../../sheet1.xml", "a/b/c/") == "a/sheet1.xml");
  CHECK(file_of("b/../sheet1.xml", "a/") == "a/sheet1.xml");
  CHECK(workbook_file("<r><Relationship Type=\"x/other\" Target=\"o.xml\"/>"
                      "<Relationship Type=\"x/officeDocument\" Target=\"/b/w.xml\"/></r>") == "b/w.xml");
  CHECK(workbook_file("<r/>") == "xl/workbook.xml");
  const WorkbookParts parts = workbook_parts(
      "<workbook><workbookPr date1904=\"1\"/><sheets><sheet name=\"a\" id=\"r1\" state=\"hidden\"/>"
      "<sheet name=\"b\" r:id=\"r2\" state=\"visible\"/><sheet name=\"c\" r:id=\"r3\"/>"
      "<sheet name=\"d\" r:id=\"r2\" state=\"veryHidden\"/><sheet name=\"e\" r:id=\"none\"/></sheets></workbook>",
      "<r><Relationship Id=\"r1\" Type=\"x/worksheet\" Target=\"1.xml\"/>"
      "<Relationship Id=\"r2\" Type=\"x/worksheet\" Target=\"2.xml\"/>"
      "<Relationship Id=\"r3\" Type=\"x/chartsheet\" Target=\"3.xml\"/>"
      "<Relationship Id=\"r4\" Type=\"x/sharedStrings\" Target=\"s.xml\"/>"
      "<Relationship Id=\"r5\" Type=\"x/styles\" Target=\"t.xml\"/></r>", "xl/");
  CHECK(parts.sheets.size() == 3 && parts.sheets[0].is_hidden && !parts.sheets[1].is_hidden);
  CHECK(parts.sheets[1].name == "b" && parts.sheets[2].name == "d" && parts.sheets[2].is_hidden);
  CHECK(parts.strings == "xl/s.xml" && parts.styles == "xl/t.xml" && parts.counts_from_1904);
  CHECK(!workbook_parts("<workbook><workbookPr date1904=\"0\"/></workbook>", "<r/>", "").counts_from_1904);
}

TEST("shared texts are put together of their runs, without what is only how to say them") {
  const std::vector<std::string> found = shared_strings(
      "<sst><si><t>plain</t></si><si><r><t>two </t></r><r><t>runs</t></r></si>"
      "<si><t>kanji</t><rPh><t>reading</t></rPh><t>!</t></si><si/><si><t>_x0041__x00E9_</t></si></sst>");
  CHECK(found == (std::vector<std::string>{"plain", "two runs", "kanji!", "", "A\xC3\xA9"}));
}

TEST("characters beyond the first plane are two halves, and one half alone is an error") {
  const auto text = [](const std::string& codes) {
    return shared_strings("<sst><si><t>" + codes + "</t></si></sst>")[0];
  };
  CHECK(text("_xD83D__xDC1D_") == "\xF0\x9F\x90\x9D");
  CHECK(text("_xDBFF__xDFFF_") == "\xF4\x8F\xBF\xBF");
  CHECK(text("_xD7FF__xE000_") == "\xED\x9F\xBF\xEE\x80\x80");
  CHECK(text("_xD83Dx") == "_xD83Dx" && text("_x00g0_") == "_x00g0_" && text("_x0041_") == "A");
  for (const char* wrong : {"_xDC1D_", "_xD83D_", "_xD83D_x_xDC1D_", "_xD83D__x0041_", "_xD83D__xD83D_", "_x0000_"})
    CHECK(throws<XmlError>([&] { text(wrong); }));
}

TEST("number formats that every workbook has are those of the standard") {
  for (int id = 0; id < 60; ++id) {
    const NumberIs found =
        number_styles("<s><cellXfs><xf numFmtId=\"" + std::to_string(id) + "\"/></cellXfs></s>")[0];
    const std::string kinds =  // by number: . number, d day, t time of day, u duration
        "..............ddddttttd....dddddttddd........tut..ddddddddd.";
    const char kind = static_cast<std::size_t>(id) < kinds.size() ? kinds[static_cast<std::size_t>(id)] : '.';
    CHECK(found == (kind == 'd' ? NumberIs::moment : kind == 't' ? NumberIs::time_of_day
                                                  : kind == 'u' ? NumberIs::duration : NumberIs::number));
  }
  // Styles of cells, and no others, count.
  CHECK(number_styles("<s><cellStyleXfs><xf numFmtId=\"14\"/></cellStyleXfs><cellXfs><xf numFmtId=\"0\"/></cellXfs>"
                      "<xf numFmtId=\"14\"/></s>") == std::vector<NumberIs>{NumberIs::number});
}

TEST("each type of cell has its value, and an impossible value is an error that names the cell") {
  const std::vector<NumberIs> styles = {NumberIs::number, NumberIs::moment, NumberIs::time_of_day, NumberIs::duration};
  const auto cell = [&](const std::string& what) {
    const SheetCells found = sheet_cells("<row r=\"5\"><c r=\"D5\"" + what + "</c></row>", {"hive", "\xFF"}, styles);
    CHECK(found.cells.size() <= 1);
    return found.cells.empty() ? Cell{0, 0, CellIs::blank} : found.cells[0];
  };
  const auto is = [](const Cell& one, CellIs kind, double number) {
    return one.is == kind && one.number == number && one.row == 4 && one.column == 3;
  };
  CHECK(is(cell("><v>1.5</v>"), CellIs::number, 1.5) && is(cell(" s=\"0\"><v>-2</v>"), CellIs::number, -2));
  CHECK(is(cell(" s=\"1\"><v>0.5</v>"), CellIs::moment, 0.5) && is(cell(" s=\"9\"><v>1</v>"), CellIs::number, 1));
  CHECK(is(cell(" s=\"2\"><v>0.5</v>"), CellIs::duration, 0.5) && is(cell(" s=\"2\"><v>1</v>"), CellIs::moment, 1));
  CHECK(is(cell(" s=\"3\"><v>7</v>"), CellIs::duration, 7) && is(cell(" s=\"-1\"><v>7</v>"), CellIs::number, 7));
  CHECK(is(cell(" t=\"b\"><v>1</v>"), CellIs::logical, 1) && is(cell(" t=\"b\"><v>0</v>"), CellIs::logical, 0));
  CHECK(is(cell(" t=\"b\"><v>true</v>"), CellIs::logical, 1) && is(cell(" t=\"b\"><v>false</v>"), CellIs::logical, 0));
  CHECK(is(cell(" t=\"d\"><v>1970-01-02T06:00:00</v>"), CellIs::moment, 25570.25));
  CHECK(cell(" t=\"s\"><v>0</v>").is == CellIs::text && cell(" t=\"str\"><f>A1</f><v>x</v>").text == 2);
  CHECK(cell("><f>A1</f>").is == CellIs::unsaved && cell("><f>A1</f><v></v>").is == CellIs::unsaved);
  CHECK(cell("><v></v>").is == CellIs::blank && cell(">").is == CellIs::blank);
  CHECK(cell(" t=\"inlineStr\"><is><t>a</t><rPh><t>b</t></rPh></is>").is == CellIs::text);
  for (const char* wrong : {" t=\"s\"><v>2</v>", " t=\"s\"><v>-1</v>", " t=\"s\"><v></v>", " t=\"s\"><v>1</v>",
                            " t=\"d\"><v>soon</v>", "><v>1x</v>", "><v>1e999</v>"})
    CHECK(throws<SheetProblem>([&] { cell(wrong); }, [](const SheetProblem& one) { return one.cell == "D5"; }));
  // Without names, rows and cells follow one another.
  const SheetCells plain = sheet_cells("<sheetData><row><c><v>1</v></c><c><v>2</v></c></row><row><c><v>3</v></c></row>"
                                       "</sheetData><row><c><v>4</v></c></row>", {}, {});
  CHECK(plain.cells.size() == 3 && plain.rows == 2 && plain.cells[1].column == 1 && plain.cells[2].row == 1);
  for (const char* inside : {"A1", "XFD1", "A1048576"})
    CHECK(sheet_cells(std::string("<row><c r=\"") + inside + "\"><v>1</v></c></row>", {}, {}).cells.size() == 1);
  CHECK(sheet_cells("<row r=\"1048576\"><c><v>1</v></c></row>", {}, {}).rows == 1048576);
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
