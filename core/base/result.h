// SPDX-License-Identifier: GPL-3.0-or-later
// Errors are values with a sentence that a person can act on: what is wrong, then what to do.
#pragma once

#include <fmt/format.h>

#include <cassert>
#include <string>
#include <utility>
#include <variant>

namespace rivlen {

enum class ErrorKind {
    BadInput,     // the file or value itself cannot be used
    NotFound,     // a file or folder is missing
    Unsupported,  // well-formed, but beyond what Rivlen takes
    Mismatch,     // two things do not belong together (map and source, session and media)
    Io,           // reading or writing failed
    DiskFull,     // no space left for an output
    Cancelled,    // the user stopped it
    Internal      // a defect of ours
};

struct Error {
    ErrorKind kind = ErrorKind::Internal;
    std::string message;
};

template <typename... Args>
[[nodiscard]] Error make_error(ErrorKind kind, fmt::format_string<Args...> format, Args&&... args) {
    return {kind, fmt::format(format, std::forward<Args>(args)...)};
}

// A value or an Error. Check ok() before value().
template <typename T>
class [[nodiscard]] Result {
  public:
    Result(T value) : state_(std::move(value)) {}      // NOLINT(google-explicit-constructor)
    Result(Error error) : state_(std::move(error)) {}  // NOLINT(google-explicit-constructor)

    [[nodiscard]] bool ok() const { return std::holds_alternative<T>(state_); }
    explicit operator bool() const { return ok(); }

    [[nodiscard]] T& value() & { return *checked(std::get_if<T>(&state_)); }
    [[nodiscard]] const T& value() const& { return *checked(std::get_if<T>(&state_)); }
    [[nodiscard]] T&& value() && { return std::move(*checked(std::get_if<T>(&state_))); }
    [[nodiscard]] const Error& error() const { return *checked(std::get_if<Error>(&state_)); }

    T& operator*() & { return value(); }
    const T& operator*() const& { return value(); }
    T* operator->() { return &value(); }
    const T* operator->() const { return &value(); }

  private:
    template <typename P>
    static P* checked(P* pointer) {
        assert(pointer != nullptr);
        return pointer;
    }
    std::variant<T, Error> state_;
};

template <>
class [[nodiscard]] Result<void> {
  public:
    Result() = default;
    Result(Error error) : error_(std::move(error)), failed_(true) {}  // NOLINT(google-explicit-constructor)

    [[nodiscard]] bool ok() const { return !failed_; }
    explicit operator bool() const { return ok(); }
    [[nodiscard]] const Error& error() const { return error_; }

  private:
    Error error_;
    bool failed_ = false;
};

using Status = Result<void>;

}  // namespace rivlen
