// Structured log lines: a sentence for people and named fields for machines.
//
//   log.info("image added", {{"name", name}, {"bytes", size}});
//   2026-11-23T02:14:07.120Z info  image added name=x.img bytes=41943040
//
// Values from outside are made printable here, so that nobody can write a log line of
// their own. Thread-safe. Copies share the sink.
#pragma once

#include <cstdint>
#include <functional>
#include <initializer_list>
#include <memory>
#include <string>
#include <string_view>
#include <variant>

namespace spdlog {
class logger;
}

namespace vantro::base {

struct Field {
  Field(const char* field_name, std::string field_value)
      : name(field_name), value(std::move(field_value)) {}
  Field(const char* field_name, std::string_view field_value)
      : name(field_name), value(std::string(field_value)) {}
  Field(const char* field_name, const char* field_value)
      : name(field_name), value(std::string(field_value)) {}
  template <class Integer>
  requires std::is_integral_v<Integer> Field(const char* field_name, Integer field_value)
      : name(field_name), value(static_cast<std::int64_t>(field_value)) {}

  const char* name;
  std::variant<std::string, std::int64_t> value;
};

class Log {
 public:
  enum class Form { kText, kJson };
  enum class Level { kDebug, kInfo, kWarning, kError };
  using Fields = std::initializer_list<Field>;
  // Receives lines with their fields apart. Values are raw: they may hold anything.
  using Sink = std::function<void(Level, std::string_view sentence, const Fields&)>;

  // A log that discards everything, for code that is used without one.
  Log();
  // To standard error.
  Log(Form form, Level least);
  // To a reader of separate fields. `sink` must be thread-safe.
  Log(Sink sink, Level least);
  // To a string that tests read. `to` must outlive the log and is not locked.
  Log(Form form, Level least, std::string& to);

  // The text form: the sentence, and then the fields, each "name=value".
  static std::string line(std::string_view sentence, const Fields& fields);

  // From now on, for all copies.
  void least(Level level) const;

  void debug(std::string_view sentence, Fields fields = {}) const;
  void info(std::string_view sentence, Fields fields = {}) const;
  void warning(std::string_view sentence, Fields fields = {}) const;
  void error(std::string_view sentence, Fields fields = {}) const;

 private:
  void write(Level level, std::string_view sentence, Fields fields) const;

  Form form_ = Form::kText;
  std::shared_ptr<spdlog::logger> logger_;  // none: everything is discarded
  std::shared_ptr<const Sink> sink_;        // none: lines are text
};

}  // namespace vantro::base
