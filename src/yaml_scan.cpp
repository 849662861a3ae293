#include "yaml_scan.h"

#include <Rcpp.h>

#include <vector>

namespace {

bool is_blank(char c) { return c == ' ' || c == '\t'; }

class Scanner {
 public:
  Scanner(const std::string& text, int deepest, int most)
      : text_(text), deepest_(deepest), most_(most) {}

  YamlOutline run() {
    while (at_ < text_.size() && found_.refusal == YamlRefusal::None) {
      ++line_;
      end_ = text_.find('\n', at_);
      if (end_ == std::string::npos) end_ = text_.size();
      start_ = at_;
      read_line();
      at_ = end_ + 1;
    }
    return found_;
  }

 private:
  void refuse(YamlRefusal why) {
    if (found_.refusal == YamlRefusal::None) found_ = {why, line_};
  }
  char here(size_t ahead = 0) const { return at_ + ahead < end_ ? text_[at_ + ahead] : '\n'; }
  bool ends_token(size_t ahead) const { return is_blank(here(ahead)) || here(ahead) == '\n'; }
  int column() const { return static_cast<int>(at_ - start_); }
  int around() const { return columns_.empty() ? -1 : columns_.back(); }
  void count() {
    if (++entries_ > most_) refuse(YamlRefusal::Entries);
  }
  void check_depth() {
    if (static_cast<int>(columns_.size()) + flow_ > deepest_) refuse(YamlRefusal::Depth);
  }
  // A block collection begins or continues at a column.
  void open_block(int column) {
    while (!columns_.empty() && columns_.back() >= column) columns_.pop_back();
    columns_.push_back(column);
    check_depth();
  }

  void read_line() {
    if (quote_ != 0) {
      finish_quote(0);
      return read_tokens();
    }
    while (here() == ' ') ++at_;
    const int indent = column();
    size_t look = at_;
    while (look < end_ && is_blank(text_[look])) ++look;
    if (look == end_) return;  // the line is empty
    if (scalar_open_ && flow_ == 0) {
      if (indent > scalar_) return continue_scalar();
      scalar_open_ = false;
    }
    if (here() == '#') return;
    if (flow_ == 0 && indent == 0 && is_mark()) return read_mark();
    if (flow_ == 0 && ended_) return refuse(YamlRefusal::SecondDocument);
    if (flow_ == 0 && here() == '%') return refuse(YamlRefusal::Directive);
    started_ = true;
    read_tokens();
  }

  bool is_mark() const {
    const bool begins = here() == '-' && here(1) == '-' && here(2) == '-';
    const bool ends = here() == '.' && here(1) == '.' && here(2) == '.';
    return (begins || ends) && ends_token(3);
  }
  void read_mark() {
    if (here() == '.') {
      ended_ = true;
      return;
    }
    if (started_ || ended_) return refuse(YamlRefusal::SecondDocument);
    started_ = true;
    at_ += 3;
    read_tokens();
  }

  // A comment ends a plain scalar of several lines.
  void continue_scalar() {
    if (block_) return;
    for (size_t i = at_; i < end_; ++i)
      if (text_[i] == '#' && (i == at_ || is_blank(text_[i - 1]))) scalar_open_ = false;
  }

  void read_tokens() {
    while (found_.refusal == YamlRefusal::None) {
      while (at_ < end_ && is_blank(text_[at_])) ++at_;
      if (at_ >= end_ || here() == '#') return;
      read_token();
    }
  }

  void read_token() {
    const char first = here();
    if (first == '&' || first == '*') return refuse(YamlRefusal::Reference);
    if (first == '!') return refuse(YamlRefusal::Tag);
    if (first == '?' && ends_token(1)) return refuse(YamlRefusal::ComplexKey);
    if (first == '[' || first == '{') {
      ++flow_;
      count();
      check_depth();
      ++at_;
    } else if (flow_ > 0 && (first == ']' || first == '}')) {
      --flow_;
      ++at_;
    } else if ((flow_ > 0 && first == ',') || (first == ':' && ends_token(1))) {
      ++at_;
    } else if (flow_ == 0 && first == '-' && ends_token(1)) {
      open_block(column());
      ++at_;
    } else if (first == '"' || first == '\'') {
      count();
      quote_ = first;
      const int from = column();
      ++at_;
      finish_quote(from);
    } else if (flow_ == 0 && (first == '|' || first == '>')) {
      read_block_header();
    } else {
      read_plain();
    }
  }

  // Reads up to the closing quote, or to the end of the line.
  void finish_quote(int from) {
    for (; at_ < end_; ++at_) {
      if (quote_ == '"' && text_[at_] == '\\') {
        ++at_;
      } else if (text_[at_] == quote_) {
        if (quote_ == '\'' && here(1) == '\'') {
          ++at_;
          continue;
        }
        ++at_;
        quote_ = 0;
        return after_quote(from);
      }
    }
    at_ = end_;
  }
  // A colon makes the text a key; in a flow collection it needs no space.
  void after_quote(int from) {
    size_t look = at_;
    while (look < end_ && is_blank(text_[look])) ++look;
    if (look >= end_ || text_[look] != ':') return;
    const bool ends = look + 1 >= end_ || is_blank(text_[look + 1]);
    if (flow_ == 0 && !ends) return;
    if (flow_ == 0) open_block(from);
    at_ = look + 1;
  }

  void read_block_header() {
    count();
    size_t i = at_ + 1;
    while (i < end_ && (text_[i] == '-' || text_[i] == '+' || (text_[i] >= '1' && text_[i] <= '9')))
      ++i;
    if (i - at_ > 3) return refuse(YamlRefusal::BlockHeader);
    size_t look = i;
    while (look < end_ && is_blank(text_[look])) ++look;
    if (look < end_ && !(text_[look] == '#' && look > i)) return refuse(YamlRefusal::BlockHeader);
    open_scalar(true);
    at_ = end_;
  }
  void open_scalar(bool block) {
    scalar_open_ = true;
    block_ = block;
    scalar_ = around();
  }

  // A plain scalar ends at a colon or a comment, and in flow collections also at a separator.
  void read_plain() {
    count();
    const int from = column();
    const auto divides = [&](char c) {
      return c == ',' || c == '[' || c == ']' || c == '{' || c == '}';
    };
    for (; at_ < end_; ++at_) {
      const char c = text_[at_];
      if (flow_ > 0 && divides(c)) return;
      if (c == '#' && is_blank(text_[at_ - 1])) {
        at_ = end_;
        return;
      }
      if (c == ':' && (ends_token(1) || (flow_ > 0 && divides(here(1))))) {
        if (flow_ == 0) open_block(from);
        ++at_;
        return;
      }
    }
    if (flow_ == 0) open_scalar(false);
  }

  const std::string& text_;
  const int deepest_, most_;
  YamlOutline found_;
  size_t at_ = 0, start_ = 0, end_ = 0;
  int line_ = 0, entries_ = 0, flow_ = 0;
  std::vector<int> columns_;  // the columns of the enclosing block collections
  char quote_ = 0;            // the open quote
  // A block scalar or a plain scalar continues in lines that are indented further than `scalar_`.
  bool scalar_open_ = false, block_ = false;
  int scalar_ = -1;
  bool started_ = false, ended_ = false;
};

}  // namespace

YamlOutline scan_yaml(const std::string& text, int deepest, int most) {
  return Scanner(text, deepest, most).run();
}

// [[Rcpp::export(rng = false)]]
Rcpp::IntegerVector yaml_outline(const std::string& text, int deepest, int most) {
  const YamlOutline found = scan_yaml(text, deepest, most);
  return Rcpp::IntegerVector::create(static_cast<int>(found.refusal), found.line);
}
