#pragma once
/// Errors as values: bad input is reported, never thrown at or hidden from the caller.

#include <colvik/export.hpp>

#include <optional>
#include <stdexcept>
#include <string>
#include <utility>
#include <variant>

namespace colvik {

/// What is wrong, where, and what would be accepted.
struct Error {
  std::string where;     ///< object and value, or file:line:column
  std::string what;      ///< what is wrong
  std::string accepted;  ///< what would be accepted; may be empty

  /// "where: what; accepted"
  [[nodiscard]] std::string message() const {
    std::string text = where.empty() ? what : where + ": " + what;
    return accepted.empty() ? text : text + "; " + accepted;
  }
};

/// Thrown by Result::value() when there is an error that the caller did not check.
class COLVIK_EXPORT UncheckedError : public std::runtime_error {
 public:
  explicit UncheckedError(const Error& error) : std::runtime_error(error.message()) {}
};

/// A value, or the error that stands in its place.
template <class T>
class [[nodiscard]] Result {
 public:
  Result(T value) : held_(std::in_place_index<0>, std::move(value)) {}  // NOLINT: meant to convert
  Result(Error error) : held_(std::in_place_index<1>, std::move(error)) {}  // NOLINT

  [[nodiscard]] bool ok() const { return held_.index() == 0; }
  explicit operator bool() const { return ok(); }
  /// The value; throws UncheckedError when there is none.
  const T& value() const& {
    if (!ok()) throw UncheckedError(error());
    return std::get<0>(held_);
  }
  T value() && {
    if (!ok()) throw UncheckedError(error());
    return std::get<0>(std::move(held_));
  }
  /// Requires: !ok().
  [[nodiscard]] const Error& error() const { return std::get<1>(held_); }

 private:
  std::variant<T, Error> held_;
};

/// Success, or an error.
template <>
class [[nodiscard]] Result<void> {
 public:
  Result() = default;
  Result(Error error) : error_(std::move(error)) {}  // NOLINT: meant to convert

  [[nodiscard]] bool ok() const { return !error_; }
  explicit operator bool() const { return ok(); }
  /// Throws UncheckedError when there is an error.
  void value() const {
    if (error_) throw UncheckedError(*error_);
  }
  /// Requires: !ok().
  [[nodiscard]] const Error& error() const { return *error_; }

 private:
  std::optional<Error> error_;
};

}  // namespace colvik
