#include "xml.h"

#include <algorithm>
#include <charconv>

#include "utf8.h"

namespace rowanroot {
namespace {

bool is_space(char c) { return c == ' ' || c == '\t' || c == '\n' || c == '\r'; }

std::string_view without_prefix(std::string_view name) {
  const std::size_t colon = name.find(':');
  return colon == std::string_view::npos ? name : name.substr(colon + 1);
}

// The entity between & and ;
void append_entity(std::string_view entity, std::string* to) {
  static constexpr struct {
    std::string_view name;
    char is;
  } known[] = {{"lt", '<'}, {"gt", '>'}, {"amp", '&'}, {"quot", '"'}, {"apos", '\''}};
  for (const auto& one : known)
    if (entity == one.name) return to->push_back(one.is);
  if (entity.size() < 2 || entity[0] != '#') throw XmlError("an entity is unknown");
  const bool is_hex = entity[1] == 'x';
  const std::string_view digits = entity.substr(is_hex ? 2 : 1);
  unsigned code = 0;
  const auto [last, problem] = std::from_chars(digits.data(), digits.data() + digits.size(), code, is_hex ? 16 : 10);
  if (problem != std::errc() || last != digits.data() + digits.size() || code == 0 || code > 0x10FFFF)
    throw XmlError("a character's number is wrong");
  append_utf8(code, to);
}

// Line ends are one character, as XML has it.
void append_text(std::string_view text, std::string* to) {
  for (std::size_t i = 0; i < text.size(); ++i) {
    if (text[i] == '&') {
      const std::size_t semicolon = text.find(';', i);
      if (semicolon == std::string_view::npos) throw XmlError("an entity has no end");
      append_entity(text.substr(i + 1, semicolon - i - 1), to);
      i = semicolon;
    } else if (text[i] == '\r') {
      if (i + 1 == text.size() || text[i + 1] != '\n') to->push_back('\n');
    } else {
      to->push_back(text[i]);
    }
  }
}

}  // namespace

Xml::Event Xml::next() {
  if (closes_itself_) return closes_itself_ = false, close;
  content_.clear();
  while (at_ < text_.size()) {
    if (text_[at_] != '<') {
      const std::size_t stop = std::min(text_.find('<', at_), text_.size());
      append_text(text_.substr(at_, stop - at_), &content_);
      at_ = stop;
      continue;
    }
    const auto skip_to = [&](std::string_view mark) {
      const std::size_t found = text_.find(mark, at_);
      if (found == std::string_view::npos) throw XmlError("it breaks off");
      at_ = found + mark.size();
    };
    if (text_.compare(at_, 4, "<!--") == 0) {
      skip_to("-->");
    } else if (text_.compare(at_, 9, "<![CDATA[") == 0) {
      const std::size_t first = at_ + 9;
      skip_to("]]>");
      content_.append(text_.substr(first, at_ - 3 - first));
    } else if (text_.compare(at_, 2, "<?") == 0) {
      skip_to("?>");
    } else if (text_.compare(at_, 2, "<!") == 0) {
      throw XmlError("it has a document type");
    } else {
      if (!content_.empty()) return text;
      read_tag();
      return is_close_ ? close : open;
    }
  }
  return content_.empty() ? end : text;
}

void Xml::read_tag() {
  std::size_t i = at_ + 1;
  const auto need = [&] {
    if (i >= text_.size()) throw XmlError("it breaks off");
  };
  need();
  is_close_ = text_[i] == '/';
  if (is_close_) ++i;
  const std::size_t first = i;
  while (i < text_.size() && !is_space(text_[i]) && text_[i] != '>' && text_[i] != '/') ++i;
  name_ = without_prefix(text_.substr(first, i - first));
  if (name_.empty()) throw XmlError("a tag has no name");
  attributes_.clear();
  for (;;) {
    while (i < text_.size() && is_space(text_[i])) ++i;
    need();
    if (text_[i] == '>') break;
    if (text_[i] == '/') {
      closes_itself_ = !is_close_;
      ++i;
      continue;
    }
    const std::size_t start = i;
    while (i < text_.size() && text_[i] != '=' && text_[i] != '>' && !is_space(text_[i])) ++i;
    const std::string_view name = text_.substr(start, i - start);
    while (i < text_.size() && is_space(text_[i])) ++i;
    need();
    if (text_[i] != '=') throw XmlError("an attribute has no value");
    ++i;
    while (i < text_.size() && is_space(text_[i])) ++i;
    need();
    const char quote = text_[i];
    const std::size_t stop = quote == '"' || quote == '\'' ? text_.find(quote, i + 1) : std::string_view::npos;
    if (stop == std::string_view::npos) throw XmlError("an attribute has no end");
    attributes_.push_back({name, text_.substr(i + 1, stop - i - 1)});
    i = stop + 1;
  }
  at_ = i + 1;
}

const Xml::Attribute* Xml::find(std::string_view name) const {
  for (const Attribute& one : attributes_)
    if (one.name == name) return &one;
  return nullptr;
}

bool Xml::has_attribute(std::string_view name) const { return find(name) != nullptr; }

std::string Xml::attribute(std::string_view name) const {
  std::string value;
  if (const Attribute* one = find(name)) append_text(one->value, &value);
  return value;
}

void write_xml_text(std::string_view text, std::string* to) {
  for (char c : text) {
    switch (c) {
      case '<': to->append("&lt;"); break;
      case '>': to->append("&gt;"); break;
      case '&': to->append("&amp;"); break;
      default: to->push_back(c);
    }
  }
}

}  // namespace rowanroot
