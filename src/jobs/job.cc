#include "jobs/job.h"

#include <algorithm>
#include <array>

namespace vantro::jobs {
namespace {

template <class T, std::size_t kCount>
std::optional<T> find_word(const std::array<T, kCount>& all, std::string_view text) {
  const auto found =
      std::find_if(all.begin(), all.end(), [&](T one) { return text == word(one); });
  if (found == all.end()) return std::nullopt;
  return *found;
}

}  // namespace

const char* word(Purpose purpose) {
  switch (purpose) {
    case Purpose::kUpgrade:
      return "upgrade";
    case Purpose::kDowngrade:
      return "downgrade";
    case Purpose::kConvert:
      return "convert";
    case Purpose::kRecover:
      return "recover";
  }
  return "";
}

std::optional<Purpose> parse_purpose(std::string_view text) {
  return find_word(std::array{Purpose::kUpgrade, Purpose::kDowngrade, Purpose::kConvert,
                              Purpose::kRecover},
                   text);
}

const char* word(JobState state) {
  switch (state) {
    case JobState::kOpen:
      return "open";
    case JobState::kConfirmed:
      return "confirmed";
    case JobState::kFailed:
      return "failed";
    case JobState::kWithdrawn:
      return "withdrawn";
  }
  return "";
}

std::optional<JobState> parse_job_state(std::string_view text) {
  return find_word(std::array{JobState::kOpen, JobState::kConfirmed, JobState::kFailed,
                              JobState::kWithdrawn},
                   text);
}

const char* word(Mark mark) {
  switch (mark) {
    case Mark::kWritten:
      return "written";
    case Mark::kNext:
      return "next";
    case Mark::kRunning:
      return "running";
    case Mark::kConfirmed:
      return "confirmed";
    case Mark::kFailed:
      return "failed";
  }
  return "";
}

std::optional<Mark> parse_mark(std::string_view text) {
  return find_word(std::array{Mark::kWritten, Mark::kNext, Mark::kRunning,
                              Mark::kConfirmed, Mark::kFailed},
                   text);
}

const JobImage* Job::find(const std::string& sha256) const {
  const auto found = std::find_if(images.begin(), images.end(),
                                  [&](const auto& one) { return one.sha256 == sha256; });
  return found == images.end() ? nullptr : &*found;
}

}  // namespace vantro::jobs
