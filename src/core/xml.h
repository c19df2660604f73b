#pragma once
// XML from one end to the other: tags, attributes and texts, as office files have them. No document types, no
// namespaces: a prefix is left out.

#include <cstddef>
#include <stdexcept>
#include <string>
#include <string_view>
#include <vector>

namespace rowanroot {

struct XmlError : std::runtime_error {
  using std::runtime_error::runtime_error;
};

class Xml {
 public:
  explicit Xml(std::string_view text) : text_(text) {}

  enum Event { open, close, text, end };
  // The next tag or text; a tag that closes itself gives both events. Throws XmlError.
  Event next();

  std::string_view name() const { return name_; }
  // Of the tag that was opened; an empty text if it has none such. With its prefix, if `name` has one.
  std::string attribute(std::string_view name) const;
  bool has_attribute(std::string_view name) const;
  // The text between two tags, with its entities made out.
  const std::string& content() const { return content_; }

 private:
  struct Attribute {
    std::string_view name, value;
  };
  void read_tag();
  const Attribute* find(std::string_view name) const;

  std::string_view text_;
  std::size_t at_ = 0;
  std::string_view name_;
  std::vector<Attribute> attributes_;
  std::string content_;
  bool closes_itself_ = false, is_close_ = false;
};

// Text between tags, in which some characters must be written otherwise.
void write_xml_text(std::string_view text, std::string* to);

}  // namespace rowanroot
