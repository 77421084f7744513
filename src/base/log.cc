#include "base/log.h"

#include <mutex>
#include <nlohmann/json.hpp>
#include <spdlog/sinks/base_sink.h>
#include <spdlog/sinks/stdout_sinks.h>
#include <spdlog/spdlog.h>

#include "base/clock.h"
#include "base/visible_name.h"

namespace vantro::base {
namespace {

class StringSink final : public spdlog::sinks::base_sink<std::mutex> {
 public:
  explicit StringSink(std::string& to) : to_(to) {}

 private:
  void sink_it_(const spdlog::details::log_msg& message) override {
    spdlog::memory_buf_t line;
    formatter_->format(message, line);
    to_.append(line.data(), line.size());
  }
  void flush_() override {}

  std::string& to_;
};

spdlog::level::level_enum level_of(Log::Level level) {
  switch (level) {
    case Log::Level::kDebug:
      return spdlog::level::debug;
    case Log::Level::kInfo:
      return spdlog::level::info;
    case Log::Level::kWarning:
      return spdlog::level::warn;
    case Log::Level::kError:
      return spdlog::level::err;
  }
  return spdlog::level::info;
}

const char* word(Log::Level level) {
  switch (level) {
    case Log::Level::kDebug:
      return "debug";
    case Log::Level::kInfo:
      return "info";
    case Log::Level::kWarning:
      return "warning";
    case Log::Level::kError:
      return "error";
  }
  return "info";
}

std::shared_ptr<spdlog::logger> make(spdlog::sink_ptr sink, Log::Form form,
                                     Log::Level least) {
  auto logger = std::make_shared<spdlog::logger>("vantro", std::move(sink));
  logger->set_pattern(form == Log::Form::kJson ? "%v" : "%Y-%m-%dT%H:%M:%S.%eZ %-7l %v",
                      spdlog::pattern_time_type::utc);
  logger->set_level(level_of(least));
  logger->flush_on(spdlog::level::debug);
  return logger;
}

constexpr std::size_t kLongestValue = 300;

std::string text_value(const std::string& value) {
  const auto safe = printable(value, kLongestValue);
  if (!safe.empty() && safe.find_first_of(" =\"") == std::string::npos) return safe;
  return nlohmann::json(safe).dump();
}

}  // namespace

Log::Log() = default;

Log::Log(Form form, Level least)
    : form_(form),
      logger_(make(std::make_shared<spdlog::sinks::stderr_sink_mt>(), form, least)) {}

Log::Log(Form form, Level least, std::string& to)
    : form_(form), logger_(make(std::make_shared<StringSink>(to), form, least)) {}

Log::Log(Sink sink, Level least)
    : logger_(make(std::make_shared<spdlog::sinks::stderr_sink_mt>(), form_, least)),
      sink_(std::make_shared<const Sink>(std::move(sink))) {}

void Log::least(Level level) const {
  if (logger_) logger_->set_level(level_of(level));
}

void Log::debug(std::string_view sentence, Fields fields) const {
  write(Level::kDebug, sentence, fields);
}
void Log::info(std::string_view sentence, Fields fields) const {
  write(Level::kInfo, sentence, fields);
}
void Log::warning(std::string_view sentence, Fields fields) const {
  write(Level::kWarning, sentence, fields);
}
void Log::error(std::string_view sentence, Fields fields) const {
  write(Level::kError, sentence, fields);
}

void Log::write(Level level, std::string_view sentence, Fields fields) const {
  if (!logger_ || !logger_->should_log(level_of(level))) return;
  if (sink_) return (*sink_)(level, sentence, fields);
  if (form_ == Form::kJson) {
    nlohmann::ordered_json line;
    line["time"] = iso_time(SystemClock{}.wall());
    line["level"] = word(level);
    line["message"] = printable(sentence, kLongestValue);
    for (const auto& field : fields) {
      if (const auto* number = std::get_if<std::int64_t>(&field.value)) {
        line[field.name] = *number;
      } else {
        line[field.name] = printable(std::get<std::string>(field.value), kLongestValue);
      }
    }
    logger_->log(level_of(level), line.dump());
    return;
  }
  logger_->log(level_of(level), line(sentence, fields));
}

std::string Log::line(std::string_view sentence, const Fields& fields) {
  std::string line = printable(sentence, kLongestValue);
  for (const auto& field : fields) {
    const auto* text = std::get_if<std::string>(&field.value);
    if (text != nullptr && text->empty()) continue;  // it says nothing, and takes space
    line += ' ';
    line += field.name;
    line += '=';
    if (const auto* number = std::get_if<std::int64_t>(&field.value)) {
      line += std::to_string(*number);
    } else {
      line += text_value(std::get<std::string>(field.value));
    }
  }
  return line;
}

}  // namespace vantro::base
