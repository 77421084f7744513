// Questions about backups: what a file is, what changed, what is missing.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "backup/backups.h"
#include "backup/comparison.h"
#include "base/outcome.h"
#include "repository/repository.h"

namespace vantro::desk {

// How a revision compares with the catalogue.
struct Recognition {
  enum class What { kNothing, kIdentical, kOtherBytes, kSameSize, kUnknownImage };
  What what = What::kNothing;
  std::string image;     // identical to it, of its name, or of its size
  std::string vouching;  // identical: of the image
  std::string sentence;  // for people; empty for kNothing
};

// One side of a comparison.
struct Compared {
  std::string title;  // "revision 3 from tidegate-rtr, 2026-11-23 02:14:07"
  std::optional<backup::Revision> revision;
  std::string text;
  std::string platform;
};

// A line of the overview.
struct FileState {
  backup::FileOverview file;
  std::int64_t changes = 0;  // in the given number of days
  bool shrunk = false;       // to less than half of its usual size, or to nothing
  // What is wrong with its bytes: they are truncated, damaged, or not those of the image
  // of that name; empty: nothing is known.
  std::string doubt;
};

// A device that backups are expected of, and their state.
struct Expectation {
  std::string device, site;
  std::int64_t every = 0;      // ms
  base::WallTime seen_at = 0;  // the last complete one; 0: none yet
  base::WallTime since = 0;    // when it was first expected
  bool overdue = false;
};

struct BackupOverview {
  std::vector<FileState> files;
  std::vector<Expectation> expected;  // one for each device that has a schedule
};

// What happened to one file in a period.
struct FileReport {
  enum class What { kChanged, kUnchanged, kFirst, kBrokeOff };
  What what = What::kUnchanged;
  backup::Holder holder;
  std::string name;
  // The newest complete one before the period; if there is none, the first one in it,
  // unless that is `after` itself.
  std::optional<backup::Revision> before;
  std::optional<backup::Revision> first;  // complete one in it
  std::optional<backup::Revision> after;  // and in it; or interrupted ones
  std::int64_t revisions = 0;             // that arrived in it
  std::optional<backup::Comparison> comparison;
  std::string note;  // why there is none
};

struct ChangeReport {
  base::WallTime from = 0, to = 0;
  std::vector<FileReport> files;
  std::vector<Expectation> overdue;  // at its end, or now if that is later
};

struct SecretsFound {
  std::size_t masked = 0;
  std::size_t doubtful = 0;  // shown lines that look like secrets
};

// Waits for disk and database; the repository must outlive it. Thread-safe.
class BackupReports {
 public:
  explicit BackupReports(repository::Repository& repository) : repository_(repository) {}

  // As typed by a person: device or address, and its name for the file; the newest
  // complete one if no number is given.
  base::Outcome<backup::Revision> find(const std::string& holder, const std::string& name,
                                       std::optional<std::int64_t> number) const;
  // A holder's only configuration file. kInvalid lists several.
  base::Outcome<std::string> only_name(const std::string& holder) const;

  base::Outcome<Recognition> recognise(const backup::Revision& revision) const;
  // A warning for those who rely on it, or return it to a device: it is empty or much
  // smaller than usual, truncated or damaged. Empty: none.
  base::Outcome<std::string> caution(const backup::Revision& revision) const;
  // Its text with its secrets masked, or shown.
  base::Outcome<std::string> shown_text(const backup::Revision& revision,
                                        bool secrets) const;
  // The secrets in it that are masked where it is shown; none in a file that is neither
  // text nor a configuration. Refused if it cannot be read through: then it may hold
  // some.
  base::Outcome<SecretsFound> secrets_in(const backup::Revision& revision) const;

  base::Outcome<Compared> side(const backup::Revision& revision) const;
  // Without `secrets`, changed secrets of two revisions of one file are marked as
  // changed; against any other text secrets are not compared at all.
  backup::Comparison compare(const Compared& before, const Compared& after, bool secrets,
                             std::size_t context) const;

  // `since`: changes are counted from then on.
  base::Outcome<BackupOverview> overview(base::WallTime since) const;
  base::Outcome<std::vector<Expectation>> expectations() const;
  base::Outcome<ChangeReport> report(base::WallTime from, base::WallTime to, bool secrets,
                                     std::size_t context) const;

 private:
  // "differs from the image of that name, ..."; empty if it does not, or there is none.
  base::Outcome<std::string> differing_image(const std::string& name,
                                             const std::string& sha256) const;
  backup::Mask mask(const std::string& platform, bool secrets) const;
  std::vector<Expectation> expectations(const std::vector<backup::FileOverview>& files,
                                        const std::vector<fleet::Device>& devices,
                                        const std::vector<fleet::Site>& sites) const;

  repository::Repository& repository_;
};

}  // namespace vantro::desk
