// Rescue sessions, from their opening to their end. One object for the server: it holds
// everything open, and returns it in every case, at the latest in its destructor.
//
// The record comes first: a session whose program died is ended by the next start
// (end_left_over), and its address is removed by itself when its time is over.
#pragma once

#include <cstdint>
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "base/mutex.h"
#include "base/outcome.h"
#include "desk/caller.h"
#include "desk/rescue_hands.h"
#include "gate/gate.h"
#include "jobs/rescue/checks.h"
#include "jobs/rescue/profile.h"
#include "jobs/rescue/session.h"
#include "jobs/rescue/story.h"
#include "repository/repository.h"

namespace vantro::desk {

struct RescueWanted {
  std::string device;     // by name; may be empty
  std::string interface;  // "eth1"
  std::string profile;    // empty: the one of the device's platform
  std::chrono::seconds hold{3600};
  // "02:00:5e:10:00:01", "02:00:5e:10:00:01=tidegate-rtr",
  // "02:00:5e:10:00:01=tidegate-rtr@192.0.2.20"; the same with serial numbers.
  std::vector<std::string> link_addresses, serials;
  bool any_device = false;  // else the guests, or the first that asks
  bool own_address = false;
  bool despite_other = false;
  std::string image;   // replaces the profile's last one
  std::string text;    // for names that stand for a text
  bool really = true;  // false: only the checks
};

struct RescueView {
  jobs::rescue::Session session;
  jobs::rescue::Stage stage;
  std::vector<jobs::rescue::Event> lines;
  std::vector<std::string> undo;  // what people must put back on their own machine
};

struct RescueOpened {
  std::vector<jobs::Check> checks;
  std::optional<RescueView> view;  // none: a check stopped it, or it was only checked
};

// Thread-safe. Everything that it gets must outlive it.
class Rescues {
 public:
  using Profiles = std::function<std::vector<jobs::rescue::Profile>()>;

  Rescues(repository::Repository& repository, gate::Gate& gate, RescueHands& hands,
          Profiles profiles);
  // As end_all().
  ~Rescues();
  Rescues(const Rescues&) = delete;
  Rescues& operator=(const Rescues&) = delete;

  // Takes some seconds. kInvalid: the request makes no sense. kDenied: it includes a
  // push, and the caller may not push.
  base::Outcome<RescueOpened> open(const Caller& caller, const RescueWanted& wanted);
  base::Outcome<RescueView> close(const Caller& caller, std::int64_t id);
  // kNotFound.
  base::Outcome<RescueView> find(std::int64_t id) const;
  // Newest first.
  base::Outcome<std::vector<RescueView>> list(std::size_t most) const;
  std::vector<jobs::rescue::Profile> profiles() const { return profiles_(); }

  // Adds new events to the stories, and ends sessions whose time is over. Call it twice a
  // second. Waits up to a second for a device to answer.
  void tick();
  void end_all(const std::string& why);
  // Of a program that died. At the start, before anything is opened.
  void end_left_over();
  // Of another node that is gone: its interface can't be reached from here.
  base::Outcome<void> end_of_node(const std::string& node);

 private:
  struct Running;

  static constexpr std::size_t kMostTold = 2000;  // that wait for the next tick

  base::Outcome<jobs::rescue::Profile> profile_for(const RescueWanted& wanted,
                                                   const std::string& platform) const;
  base::Outcome<std::shared_ptr<Running>> begin(const Caller& caller,
                                                jobs::rescue::Session session,
                                                const jobs::rescue::Profile& profile,
                                                std::vector<Guest> guests,
                                                Admission admission);
  base::Outcome<void> push_to(const Caller& caller, Running& running);
  void end(const std::shared_ptr<Running>& running, const repository::By& by,
           const std::string& why);
  void give_back(const jobs::rescue::Session& session);
  base::Outcome<void> record_end(const jobs::rescue::Session& session,
                                 const repository::By& by, const std::string& why,
                                 const std::string& summary,
                                 const std::vector<jobs::rescue::Event>& lines);
  void follow(Running& running);
  std::vector<jobs::rescue::Load> loads_of(Running& running) const;
  void ask_whether_back(Running& running, base::WallTime now);
  void keep(Running& running);
  void refused(const gate::Asker& asker, std::string_view name,
               const base::Refusal& refusal);
  RescueView view_of(const Running& running) const;
  std::shared_ptr<Running> running(std::int64_t id) const;

  repository::Repository& repository_;
  gate::Gate& gate_;
  RescueHands& hands_;
  Profiles profiles_;
  // One is opened at a time.
  base::Mutex opening_;
  mutable base::Mutex mutex_;
  std::map<std::int64_t, std::shared_ptr<Running>> running_ VANTRO_GUARDED_BY(mutex_);
};

// What to put back by hand after a session, in lines.
std::vector<std::string> undo_lines(const jobs::rescue::Session& session);

// "02:00:5e:10:00:01=tidegate-rtr@192.0.2.20" and the like. kInvalid.
base::Outcome<Guest> parse_guest(const std::string& text, bool serial);

}  // namespace vantro::desk
