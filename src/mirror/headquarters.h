// Headquarters' side of its mirrors: what each is told, and what it reported.
#pragma once

#include <cstdint>
#include <list>
#include <map>
#include <memory>
#include <string>
#include <vector>

#include "base/clock.h"
#include "base/mutex.h"
#include "base/outcome.h"
#include "base/unique_fd.h"
#include "mirror/exchange.h"
#include "mirror/source.h"
#include "repository/by.h"
#include "repository/repository.h"

namespace vantro::mirror {

// A mirror as headquarters knows it, for people.
struct Site {
  std::string name;
  std::string from;  // the address that it last asked from
  std::string wants;
  std::string version;
  base::WallTime first_at = 0;
  base::WallTime seen_at = 0;
  base::WallTime current_at = 0;        // when it last had everything; 0: never yet
  bool current = false;                 // it has everything
  std::uint64_t held = 0, lacking = 0;  // contents
  std::uint64_t missing = 0;            // bytes
  double rate = 0;                      // bytes per second
  std::uint64_t rows_waiting = 0;
  // Complete fetches of its devices in seven days.
  std::uint64_t served = 0, served_bytes = 0;
  std::string trouble;
  bool sync = false;  // somebody wants it to fetch now
};

struct OpenContent {
  base::UniqueFd file;
  std::uint64_t size = 0;
};

// Thread-safe; the repository must outlive it.
class Headquarters {
 public:
  // Of earlier records so many rows are remembered, of all mirrors together: a mirror
  // with older ones gets all of its records.
  static constexpr std::size_t kMostRemembered = 500'000;

  explicit Headquarters(repository::Repository& repository) : repository_(repository) {}

  // May take a second if much was changed and there are 100,000 offers.
  base::Outcome<News> answer(const std::string& mirror, const std::string& from,
                             const Report& report);

  // kNotFound: nothing that is on offer has these bytes.
  base::Outcome<OpenContent> content(const std::string& sha256);
  // Its chunks, packed. Reads the content the first time.
  base::Outcome<std::string> chunks(const std::string& sha256);

  // By name.
  base::Outcome<std::vector<Site>> list() const;
  // kNotFound has the nearest.
  base::Outcome<Site> find(const std::string& name) const;
  // The person that it was is removed. In the caller's transaction.
  static void forget(db::Transaction& transaction, const std::string& name);
  // It is told at its next question. Recorded in the ledger.
  base::Outcome<Site> want_sync(const std::string& name, const repository::By& by);

 private:
  struct Part {
    Picture picture;
    std::string tag;
  };
  struct Remembered {
    std::string tag;
    std::shared_ptr<const Outline> outline;
  };
  struct Last {
    Report report;
    std::string from;
    base::WallTime seen_at = 0;
    base::WallTime written_at = 0;
  };

  base::Outcome<std::shared_ptr<const Source>> source() VANTRO_REQUIRES(mutex_);
  base::Outcome<std::shared_ptr<const Part>> part(const Wants& wants)
      VANTRO_REQUIRES(mutex_);
  void remember(const std::string& tag, Outline outline) VANTRO_REQUIRES(mutex_);
  std::shared_ptr<const Outline> remembered(const std::string& tag)
      VANTRO_REQUIRES(mutex_);
  // Whether somebody wanted it to fetch now.
  base::Outcome<bool> note(const std::string& mirror, const std::string& from,
                           const Report& report, bool current);

  repository::Repository& repository_;
  base::Mutex mutex_;
  std::shared_ptr<const Source> source_ VANTRO_GUARDED_BY(mutex_);
  // Of that source, by what is wanted.
  std::map<std::string, std::shared_ptr<const Part>> parts_ VANTRO_GUARDED_BY(mutex_);
  std::list<Remembered> outlines_ VANTRO_GUARDED_BY(mutex_);  // the last used first
  std::size_t remembered_rows_ VANTRO_GUARDED_BY(mutex_) = 0;
  mutable base::Mutex sites_mutex_;
  std::map<std::string, Last> sites_ VANTRO_GUARDED_BY(sites_mutex_);
  base::Mutex chunks_mutex_;
  std::list<std::pair<std::string, std::string>> chunks_ VANTRO_GUARDED_BY(chunks_mutex_);
};

}  // namespace vantro::mirror
