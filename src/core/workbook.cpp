#include "workbook.h"

#include <algorithm>
#include <charconv>
#include <cmath>
#include <map>

#include "csv_values.h"
#include "moments.h"
#include "utf8.h"
#include "xml.h"

namespace rowanroot {
namespace {

bool ends_with(std::string_view text, std::string_view end) {
  return text.size() >= end.size() && text.substr(text.size() - end.size()) == end;
}

// A path that is seen from a folder, or from the whole package.
std::string part_file(const std::string& target, const std::string& folder) {
  std::string path = !target.empty() && target[0] == '/' ? target.substr(1) : folder + target;
  for (std::size_t up; (up = path.find("/../")) != std::string::npos;) {
    const std::size_t before = path.rfind('/', up - 1);
    path.erase(before == std::string::npos ? 0 : before + 1, up + 4 - (before == std::string::npos ? 0 : before + 1));
  }
  return path;
}

// Code units of UTF-16 that are written as _xHHHH_.
std::string with_codes_made_out(const std::string& text) {
  if (text.find("_x") == std::string::npos) return text;
  std::string made;
  unsigned high = 0;
  for (std::size_t i = 0; i < text.size(); ++i) {
    unsigned code = 0;
    const bool is_code = text.compare(i, 2, "_x") == 0 && i + 7 <= text.size() && text[i + 6] == '_' &&
                         std::from_chars(text.data() + i + 2, text.data() + i + 6, code, 16).ptr == text.data() + i + 6;
    const bool is_low = is_code && code >= 0xDC00 && code < 0xE000;
    if (is_low != (high != 0)) throw XmlError("a text has half of a character");
    if (!is_code) {
      made.push_back(text[i]);
      continue;
    }
    if (code == 0) throw XmlError("a text has the character U+0000");
    i += 6;
    if (is_low) append_utf8(0x10000 + ((high - 0xD800) << 10) + (code - 0xDC00), &made);
    const bool is_high = code >= 0xD800 && code < 0xDC00;
    if (!is_low && !is_high) append_utf8(code, &made);
    high = is_high ? code : 0;
  }
  if (high) throw XmlError("a text has half of a character");
  return made;
}

// Whether a number format shows days, only times, or neither. Texts in quotes, brackets and after a backslash are not
// part of it.
NumberIs number_is(const std::string& format) {
  bool has_day = false, has_time = false, has_duration = false;
  for (std::size_t i = 0; i < format.size() && format[i] != ';'; ++i) {
    const char c = format[i];
    if (c == '\\' || c == '_' || c == '*') ++i;
    else if (c == '"') i = std::min(format.find('"', i + 1), format.size());
    else if (c == '[') {
      const std::size_t stop = std::min(format.find(']', i), format.size());
      const std::string inside = format.substr(i + 1, stop - i - 1);
      if (!inside.empty() && inside.find_first_not_of("hHmMsS") == std::string::npos) has_duration = true;
      i = stop;
    }
    else if (c == 'y' || c == 'Y' || c == 'd' || c == 'D') has_day = true;
    else if (c == 'h' || c == 'H' || c == 's' || c == 'S') has_time = true;
    else if ((c == 'm' || c == 'M') && !has_time && format.find_first_of("hHsS") == std::string::npos) has_day = true;
    else if (c == 'G' && format.compare(i, 7, "General") == 0) i += 6;
    else if (c == 'E' || c == 'e') i += i + 1 < format.size();
  }
  return has_day        ? NumberIs::moment
         : has_duration ? NumberIs::duration
         : has_time     ? NumberIs::time_of_day
                        : NumberIs::number;
}

NumberIs number_is_built_in(int id) {
  if ((id >= 14 && id <= 17) || id == 22 || (id >= 27 && id <= 31) || (id >= 34 && id <= 36) || (id >= 50 && id <= 58))
    return NumberIs::moment;
  if ((id >= 18 && id <= 21) || id == 32 || id == 33 || id == 45 || id == 47) return NumberIs::time_of_day;
  if (id == 46) return NumberIs::duration;
  return NumberIs::number;
}

int whole(const std::string& text) {
  int value = 0;
  std::from_chars(text.data(), text.data() + text.size(), value);
  return value;
}

// A sheet has no more.
constexpr std::uint32_t most_rows = 1048576, most_columns = 16384;

// Gives false for what is not a name of a cell.
bool cell_place(const std::string& name, std::uint32_t* row, std::uint32_t* column) {
  std::uint64_t letters = 0, digits = 0;
  std::size_t i = 0;
  for (; i < name.size() && name[i] >= 'A' && name[i] <= 'Z'; ++i)
    letters = letters * 26 + static_cast<std::uint64_t>(name[i] - 'A' + 1);
  const std::size_t first = i;
  for (; i < name.size() && name[i] >= '0' && name[i] <= '9'; ++i)
    digits = digits * 10 + static_cast<std::uint64_t>(name[i] - '0');
  if (i != name.size() || first == 0 || first == i || first > 3 || i - first > 7 || digits == 0) return false;
  if (letters > most_columns || digits > most_rows) return false;
  return *column = static_cast<std::uint32_t>(letters - 1), *row = static_cast<std::uint32_t>(digits - 1), true;
}

// Reads the cells of one sheet.
class SheetReader {
 public:
  SheetReader(std::string_view sheet, const std::vector<std::string>& strings, const std::vector<NumberIs>& styles)
      : xml_(sheet), strings_(strings), styles_(styles) {}

  SheetCells read() {
    for (Xml::Event event = xml_.next(); event != Xml::end; event = xml_.next()) {
      if (event == Xml::close && xml_.name() == "sheetData") break;
      if (event != Xml::open) continue;
      if (xml_.name() == "row") begin_row();
      else if (xml_.name() == "c") read_cell();
    }
    return std::move(found_);
  }

 private:
  void begin_row() {
    const std::string number = xml_.attribute("r");
    row_ = number.empty() ? next_row_ : static_cast<std::uint32_t>(whole(number)) - 1;
    if (row_ >= most_rows) throw XmlError("a row has a wrong number");
    next_row_ = row_ + 1;
    next_column_ = 0;
    if (xml_.has_attribute("rowanroot:missing")) found_.rows = std::max(found_.rows, next_row_);
  }

  void read_cell() {
    Cell cell{row_, next_column_, CellIs::blank};
    const std::string name = xml_.attribute("r"), type = xml_.attribute("t"), style = xml_.attribute("s");
    if (!name.empty() ? !cell_place(name, &cell.row, &cell.column) : next_column_ >= most_columns)
      throw XmlError("a cell has a wrong name");
    next_column_ = cell.column + 1;
    std::string value, text;
    bool has_formula = false, has_value = false, has_text = false;
    int depth = 0, within_phonetic = 0;
    std::string* to = nullptr;
    for (;;) {
      const Xml::Event event = xml_.next();
      if (event == Xml::end) throw XmlError("it breaks off");
      if (event == Xml::close && depth-- == 0) break;
      if (event == Xml::close) {
        if (xml_.name() == "rPh") --within_phonetic;
        to = nullptr;
      }
      if (event == Xml::text && to) to->append(xml_.content());
      if (event != Xml::open) continue;
      ++depth;
      if (xml_.name() == "f") has_formula = true;
      else if (xml_.name() == "v") has_value = true, to = &value;
      else if (xml_.name() == "rPh") ++within_phonetic;
      else if (xml_.name() == "is") has_text = true;
      else if (xml_.name() == "t" && !within_phonetic) has_text = true, to = &text;
    }
    if (type == "inlineStr" ? !has_text : !has_value) {
      if (!has_formula) return;
      cell.is = CellIs::unsaved;
    } else {
      fill(cell, type, style.empty() ? NumberIs::number : style_of(whole(style)), type == "inlineStr" ? text : value,
           has_formula);
      if (cell.is == CellIs::blank) return;
    }
    found_.rows = std::max(found_.rows, cell.row + 1);
    found_.cells.push_back(std::move(cell));
  }

  NumberIs style_of(int style) const {
    return style >= 0 && static_cast<std::size_t>(style) < styles_.size() ? styles_[static_cast<std::size_t>(style)]
                                                                          : NumberIs::number;
  }

  void fill(Cell& cell, const std::string& type, NumberIs style, const std::string& value, bool has_formula) {
    const auto problem = [&](const std::string& what) { return SheetProblem{cell_name(cell.row, cell.column), what}; };
    if (type == "s") {
      const int number = whole(value);
      if (value.empty() || number < 0 || static_cast<std::size_t>(number) >= strings_.size())
        throw problem("refers to a text that is not there");
      cell.is = CellIs::text, cell.text = static_cast<std::uint32_t>(number);
    } else if (type == "inlineStr" || type == "str") {
      cell.is = CellIs::text;
      add_text(cell, with_codes_made_out(value));
    } else if (type == "b") {
      cell.is = CellIs::logical, cell.number = value == "1" || value == "true";
    } else if (type == "e") {
      cell.is = CellIs::error, add_text(cell, value);
    } else if (type == "d") {
      static const MomentReader iso("");
      Moment moment;
      if (!iso.read(value, &moment)) throw problem("has a date that can't be read");
      // As other cells have it: days since the last of 1899.
      cell.is = CellIs::moment, cell.number = moment.value / 86400 + 25569;
    } else {
      if (value.empty()) {
        cell.is = has_formula ? CellIs::unsaved : CellIs::blank;
        return;
      }
      const auto [end, wrong] = std::from_chars(value.data(), value.data() + value.size(), cell.number);
      if (end != value.data() + value.size()) throw problem("has a number that can't be read");
      if (wrong != std::errc() || !std::isfinite(cell.number)) throw problem("has a number that is too large");
      const bool is_day = style == NumberIs::moment || (style == NumberIs::time_of_day && cell.number >= 1);
      cell.is = style == NumberIs::number ? CellIs::number : is_day ? CellIs::moment : CellIs::duration;
    }
    const auto is_valid = [](const std::string& text) { return valid_utf8_prefix(text) == text.size(); };
    if (cell.is == CellIs::text &&
        !is_valid(cell.text < strings_.size() ? strings_[cell.text] : found_.own_texts.back()))
      throw problem("has text that is not valid UTF-8");
  }

  void add_text(Cell& cell, std::string text) {
    cell.text = static_cast<std::uint32_t>(strings_.size() + found_.own_texts.size());
    found_.own_texts.push_back(std::move(text));
  }

  Xml xml_;
  const std::vector<std::string>& strings_;
  const std::vector<NumberIs>& styles_;
  SheetCells found_;
  std::uint32_t row_ = 0, next_row_ = 0, next_column_ = 0;
};

}  // namespace

std::string workbook_file(std::string_view relationships) {
  Xml xml(relationships);
  for (Xml::Event event = xml.next(); event != Xml::end; event = xml.next())
    if (event == Xml::open && xml.name() == "Relationship" && ends_with(xml.attribute("Type"), "/officeDocument"))
      return part_file(xml.attribute("Target"), "");
  return "xl/workbook.xml";
}

WorkbookParts workbook_parts(std::string_view workbook, std::string_view relationships, const std::string& folder) {
  struct Relation {
    std::string file, type;
  };
  std::map<std::string, Relation> relations;
  WorkbookParts parts;
  Xml related(relationships);
  for (Xml::Event event = related.next(); event != Xml::end; event = related.next()) {
    if (event != Xml::open || related.name() != "Relationship") continue;
    const Relation relation{part_file(related.attribute("Target"), folder), related.attribute("Type")};
    if (ends_with(relation.type, "/sharedStrings")) parts.strings = relation.file;
    if (ends_with(relation.type, "/styles")) parts.styles = relation.file;
    relations[related.attribute("Id")] = relation;
  }
  Xml xml(workbook);
  for (Xml::Event event = xml.next(); event != Xml::end; event = xml.next()) {
    if (event != Xml::open) continue;
    if (xml.name() == "workbookPr") {
      const std::string from_1904 = xml.attribute("date1904");
      parts.counts_from_1904 = from_1904 == "1" || from_1904 == "true";
    }
    if (xml.name() != "sheet") continue;
    const auto relation = relations.find(xml.attribute("r:id").empty() ? xml.attribute("id") : xml.attribute("r:id"));
    const std::string state = xml.attribute("state");
    if (relation != relations.end() && ends_with(relation->second.type, "/worksheet"))
      parts.sheets.push_back(
          {xml.attribute("name"), relation->second.file, state == "hidden" || state == "veryHidden"});
  }
  return parts;
}

std::vector<std::string> shared_strings(std::string_view strings) {
  std::vector<std::string> found;
  Xml xml(strings);
  int within_phonetic = 0;
  bool is_text = false;
  std::string text;
  for (Xml::Event event = xml.next(); event != Xml::end; event = xml.next()) {
    if (event == Xml::text) {
      if (is_text && !within_phonetic) text.append(xml.content());
      continue;
    }
    if (xml.name() == "rPh") within_phonetic += event == Xml::open ? 1 : -1;
    is_text = event == Xml::open && xml.name() == "t";
    if (xml.name() != "si") continue;
    if (event == Xml::close) found.push_back(with_codes_made_out(text));
    text.clear();
  }
  return found;
}

std::vector<NumberIs> number_styles(std::string_view styles) {
  std::map<int, NumberIs> own;
  std::vector<NumberIs> found;
  bool in_cells = false;
  Xml xml(styles);
  for (Xml::Event event = xml.next(); event != Xml::end; event = xml.next()) {
    if (event == Xml::text) continue;
    if (xml.name() == "cellXfs") in_cells = event == Xml::open;
    if (event != Xml::open) continue;
    if (xml.name() == "numFmt") own[whole(xml.attribute("numFmtId"))] = number_is(xml.attribute("formatCode"));
    if (!in_cells || xml.name() != "xf") continue;
    const int id = whole(xml.attribute("numFmtId"));
    const auto known = own.find(id);
    found.push_back(known != own.end() ? known->second : number_is_built_in(id));
  }
  return found;
}

SheetCells sheet_cells(std::string_view sheet, const std::vector<std::string>& strings,
                       const std::vector<NumberIs>& styles) {
  return SheetReader(sheet, strings, styles).read();
}

std::string cell_name(std::uint32_t row, std::uint32_t column) {
  std::string letters;
  for (std::uint32_t left = column + 1; left > 0; left = (left - 1) / 26)
    letters.insert(letters.begin(), static_cast<char>('A' + (left - 1) % 26));
  return letters + std::to_string(row + 1);
}

void write_cell_text(std::string_view text, std::string* to) {
  const auto as_number = [&](unsigned code) {
    static const char digits[] = "0123456789ABCDEF";
    to->append("_x");
    for (int shift = 12; shift >= 0; shift -= 4) to->push_back(digits[code >> shift & 15]);
    to->push_back('_');
  };
  for (std::size_t i = 0; i < text.size(); ++i) {
    const unsigned char c = static_cast<unsigned char>(text[i]);
    unsigned code = 0;
    const bool looks_like_number =
        c == '_' && i + 7 <= text.size() && text[i + 1] == 'x' && text[i + 6] == '_' &&
        std::from_chars(text.data() + i + 2, text.data() + i + 6, code, 16).ptr == text.data() + i + 6;
    if (looks_like_number || (c < 0x20 && c != '\t' && c != '\n')) as_number(c);
    else if (c == 0xEF && i + 2 < text.size() && text[i + 1] == '\xBF' &&
             (text[i + 2] == '\xBE' || text[i + 2] == '\xBF'))
      as_number(text[i + 2] == '\xBE' ? 0xFFFE : 0xFFFF), i += 2;
    else write_xml_text(text.substr(i, 1), to);
  }
}

}  // namespace rowanroot
