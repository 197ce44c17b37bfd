// The one exception of the project. Caught once at the edge: a command prints it, a job hands it to the
// window.
#pragma once
#include <exception>
#include <string>

namespace edge {

// What happened, to which file, where in it, and what to do. All in plain words, no trailing stop.
class Error : public std::exception {
 public:
  Error(std::string what, std::string subject, std::string place, std::string remedy);

  [[nodiscard]] const char* what() const noexcept override { return line_.c_str(); }
  [[nodiscard]] const std::string& problem() const { return what_; }
  [[nodiscard]] const std::string& subject() const { return subject_; }
  [[nodiscard]] const std::string& place() const { return place_; }
  [[nodiscard]] const std::string& remedy() const { return remedy_; }

 private:
  std::string what_, subject_, place_, remedy_, line_;  // line_: "WHAT, in FILE (PLACE): REMEDY"
};

// The words of a call are wrong (exit 2 on the command line), as opposed to an input that can't be measured.
class UsageError : public Error {
 public:
  using Error::Error;
};

// The user asked to stop. Not a failure.
class Cancelled : public std::exception {
 public:
  [[nodiscard]] const char* what() const noexcept override { return "cancelled"; }
};

}  // namespace edge
