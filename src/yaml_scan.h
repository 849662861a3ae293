// Reads the outline of a YAML text before any tree is built.
#pragma once
#include <string>

// What is refused, in the order of `yaml_refusals` in R.
enum class YamlRefusal {
  None = 0,
  Reference = 1,  // an anchor or an alias
  Tag = 2,
  ComplexKey = 3,
  Directive = 4,
  SecondDocument = 5,
  BlockHeader = 6,  // a line that begins a block of text and goes on
  Depth = 7,
  Entries = 8
};

struct YamlOutline {
  YamlRefusal refusal = YamlRefusal::None;
  int line = 0;
};

// Follows quotes, comments, block scalars, flow collections and indentation, token by token; lines
// end with "\n". `deepest` and `most`: levels of nesting and entries that are read.
YamlOutline scan_yaml(const std::string& text, int deepest, int most);
