// A std::vector whose size and indices are an int, like the rows and columns of the core's
// matrices. Sizes are limited where data and models are read, so that every one of them fits.
#pragma once
#include <initializer_list>
#include <iterator>
#include <vector>

namespace orizzonte {

// Converts a size of Eigen or of the standard library.
template <class Size>
constexpr int to_int(Size size) {
  return static_cast<int>(size);
}

template <class T>
class Sequence : public std::vector<T> {
  using Base = std::vector<T>;

 public:
  Sequence() = default;
  explicit Sequence(int size) : Base(static_cast<size_t>(size)) {}
  Sequence(int size, const T& value) : Base(static_cast<size_t>(size), value) {}
  Sequence(std::initializer_list<T> values) : Base(values) {}
  template <class Iterator, class = typename std::iterator_traits<Iterator>::iterator_category>
  Sequence(Iterator first, Iterator last) : Base(first, last) {}

  int size() const { return to_int(Base::size()); }
  void resize(int size) { Base::resize(static_cast<size_t>(size)); }
  void resize(int size, const T& value) { Base::resize(static_cast<size_t>(size), value); }
  void reserve(int size) { Base::reserve(static_cast<size_t>(size)); }
  using Base::assign;
  void assign(int size, const T& value) { Base::assign(static_cast<size_t>(size), value); }
  typename Base::reference operator[](int place) {
    return Base::operator[](static_cast<size_t>(place));
  }
  typename Base::const_reference operator[](int place) const {
    return Base::operator[](static_cast<size_t>(place));
  }
};

}  // namespace orizzonte
