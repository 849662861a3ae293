// Checks the structure of a YAML text before its tree is built.
#pragma once
#include <string>

// The reasons for refusing a text, in the order of `yaml_refusals` in R.
enum class YamlRefusal {
  None = 0,
  Reference = 1,  // an anchor or an alias
  Tag = 2,
  ComplexKey = 3,
  Directive = 4,
  SecondDocument = 5,
  BlockHeader = 6,  // text after the | or > that begins a block scalar
  Depth = 7,
  Entries = 8
};

struct YamlOutline {
  YamlRefusal refusal = YamlRefusal::None;
  int line = 0;
};

// Reads quotes, comments, block scalars, flow collections and indentation token by token. Lines end
// with "\n". `deepest` and `most` limit the levels of nesting and the number of entries.
YamlOutline scan_yaml(const std::string& text, int deepest, int most);
