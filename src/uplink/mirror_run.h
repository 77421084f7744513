// This server as a mirror: carries out what mirror::Follower wants, over HTTPS, and sends
// up to headquarters what happens here.
#pragma once

#include <atomic>
#include <chrono>
#include <memory>
#include <optional>
#include <string>
#include <thread>

#include "api/mirrors.h"
#include "base/clock.h"
#include "base/log.h"
#include "base/mutex.h"
#include "base/outcome.h"
#include "gate/as_mirror.h"
#include "mirror/adoption.h"
#include "mirror/follower.h"
#include "mirror/outgoing.h"
#include "mirror/parts.h"
#include "mirror/wants.h"
#include "repository/repository.h"
#include "uplink/link.h"

namespace vantro::uplink {

struct MirrorConfig {
  Headquarters headquarters;
  mirror::Wants wants;
  mirror::Pace pace;
  // How long images stay that headquarters no longer names.
  std::chrono::hours keep{24 * 30};
  std::string version;  // of this program
};

// Two threads: one asks for news and sends up, one fetches contents. Thread-safe.
class MirrorRun {
 public:
  // From here on names are awaited (mirror/adoption.h). The repository and the clock must
  // outlive it. Refused as Adoption::open().
  static base::Outcome<std::unique_ptr<MirrorRun>> open(
      repository::Repository& repository, const base::Clock& clock, base::Log log,
      MirrorConfig config);
  ~MirrorRun();
  MirrorRun(const MirrorRun&) = delete;
  MirrorRun& operator=(const MirrorRun&) = delete;

  void start();
  // Running calls end within a second; what was fetched stays.
  void stop();

  // Asks now, and fetches whatever the hour.
  void sync();
  api::MirrorState state() const;
  // For the gate. This must outlive it.
  gate::AsMirror as_mirror();

 private:
  MirrorRun(repository::Repository& repository, const base::Clock& clock, base::Log log,
            MirrorConfig config);

  void run_news();
  void run_contents();
  // Waits until there is work of that kind, or the program stops.
  template <class Ready>
  void wait_for(base::Lock& lock, Ready ready) VANTRO_REQUIRES(mutex_);
  void carry_out(std::vector<mirror::Action> actions) VANTRO_REQUIRES(mutex_);
  void step(mirror::Event event);

  mirror::NewsCame ask();
  mirror::Report report();
  // Sends some of what waits. False: nothing more does, or it failed.
  bool send_up();
  bool send_up_to(const std::vector<ledger::Entry>& rows);
  Result<api::MirrorRowsTaken> send_rows(const std::vector<ledger::Entry>& rows);
  mirror::Event done(const mirror::MakePlan& wanted);
  mirror::Event done(const mirror::FetchPiece& piece);
  mirror::Event done(const mirror::CopyPiece& piece);
  mirror::Event done(const mirror::FileContent& content);
  void sweep();
  void tell_trouble();

  std::optional<base::Refusal> awaited(const std::string& name,
                                       const base::Address& from) const;
  std::string age() const;

  repository::Repository& repository_;
  const base::Clock& clock_;
  base::Log log_;
  const MirrorConfig config_;
  std::atomic<bool> stopping_ = false;
  mirror::Adoption adoption_;
  mirror::Outgoing outgoing_;
  mirror::Parts parts_;  // of the thread of contents, but for lacking()
  Link news_link_, contents_link_;
  bool all_records_ = false;  // of the news thread: the changes did not fit
  base::WallTime swept_at_ = 0;
  mutable base::Mutex mutex_;
  base::Condition wake_;
  mirror::Follower follower_ VANTRO_GUARDED_BY(mutex_);
  bool to_ask_ VANTRO_GUARDED_BY(mutex_) = false;
  std::optional<mirror::Action> to_do_ VANTRO_GUARDED_BY(mutex_);
  std::string up_trouble_ VANTRO_GUARDED_BY(mutex_);
  std::thread news_, contents_;
};

}  // namespace vantro::uplink
