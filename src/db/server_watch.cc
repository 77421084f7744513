#include "db/server_watch.h"

#include <array>
#include <cerrno>
#include <chrono>
#include <libpq-fe.h>
#include <memory>
#include <optional>
#include <poll.h>
#include <sys/eventfd.h>
#include <unistd.h>

#include "base/numbers.h"

namespace vantro::db {
namespace {

using Clock = std::chrono::steady_clock;

constexpr std::chrono::seconds kLooksEvery{1};
// A server that is only busy answers such a question far sooner.
constexpr std::chrono::seconds kPatience{8};

struct Free {
  void operator()(PGconn* connection) const { ::PQfinish(connection); }
  void operator()(PGresult* result) const { ::PQclear(result); }
  void operator()(PGnotify* notice) const { ::PQfreemem(notice); }
};

}  // namespace

// Nothing of it waits longer than kPatience, nor after a byte in `wake`.
class ServerWatch::Session {
 public:
  Session(const std::string& connection, int wake)
      : connection_(::PQconnectdb(connection.c_str())), wake_(wake) {
    if (::PQstatus(connection_.get()) != CONNECTION_OK) return;
    const auto channel = ask(std::string("select ") + kChannel);
    if (!channel) return;
    const std::unique_ptr<char, void (*)(void*)> quoted(
        ::PQescapeIdentifier(connection_.get(), channel->c_str(), channel->size()),
        ::PQfreemem);
    sound_ = quoted && ask(std::string("listen ") + quoted.get()).has_value();
  }

  bool sound() const { return sound_; }
  std::string why() const { return ::PQerrorMessage(connection_.get()); }

  // The last number of the change log.
  std::optional<std::int64_t> last_change() {
    const auto text = ask("select last from numbers where what = 'change_log'");
    if (!text) return std::nullopt;
    return base::parse_number<std::int64_t>(*text);
  }

  // Returns when something was heard, or after a while, or when it is woken.
  void wait() {
    if (heard()) return;
    std::array<pollfd, 2> both{pollfd{::PQsocket(connection_.get()), POLLIN, 0},
                               pollfd{wake_, POLLIN, 0}};
    ::poll(both.data(), both.size(),
           static_cast<int>(std::chrono::milliseconds(kLooksEvery).count()));
    ::PQconsumeInput(connection_.get());
    heard();
  }

 private:
  bool heard() {
    bool any = false;
    while (
        const std::unique_ptr<PGnotify, Free> notice{::PQnotifies(connection_.get())}) {
      any = true;
    }
    return any;
  }

  // The first field of the answer; empty: it has none. Nothing: it failed.
  std::optional<std::string> ask(const std::string& sql) {
    if (::PQsendQuery(connection_.get(), sql.c_str()) == 0) return std::nullopt;
    std::optional<std::string> answer;
    const auto until = Clock::now() + kPatience;
    while (true) {
      while (::PQisBusy(connection_.get()) != 0) {
        const auto left =
            std::chrono::duration_cast<std::chrono::milliseconds>(until - Clock::now());
        std::array<pollfd, 2> both{pollfd{::PQsocket(connection_.get()), POLLIN, 0},
                                   pollfd{wake_, POLLIN, 0}};
        const bool woken = left.count() > 0 && ::poll(both.data(), both.size(),
                                                      static_cast<int>(left.count())) > 0;
        if (!woken || both[1].revents != 0 || ::PQconsumeInput(connection_.get()) == 0) {
          return std::nullopt;
        }
      }
      const std::unique_ptr<PGresult, Free> result(::PQgetResult(connection_.get()));
      if (!result) return answer;
      switch (::PQresultStatus(result.get())) {
        case PGRES_TUPLES_OK:
          answer = ::PQntuples(result.get()) > 0 ? ::PQgetvalue(result.get(), 0, 0) : "";
          break;
        case PGRES_COMMAND_OK:
          answer = "";
          break;
        default:
          return std::nullopt;
      }
    }
  }

  std::unique_ptr<PGconn, Free> connection_;
  int wake_;
  bool sound_ = false;
};

ServerWatch::ServerWatch(std::string connection, Hears hears)
    : connection_(std::move(connection)),
      hears_(std::move(hears)),
      wake_(::eventfd(0, EFD_CLOEXEC | EFD_NONBLOCK)) {
  thread_ = std::thread([this] { run(); });
}

ServerWatch::~ServerWatch() {
  stopping_ = true;
  ::eventfd_write(wake_.get(), 1);
  thread_.join();
}

void ServerWatch::run() {
  std::int64_t known = -1;
  while (!stopping_) {
    Session session(connection_, wake_.get());
    bool answers = session.sound();
    while (answers && !stopping_) {
      const auto last = session.last_change();
      answers = last.has_value();
      if (!answers) break;
      hears_.answers();
      if (*last != known) {
        known = *last;
        hears_.changed();
      }
      session.wait();
    }
    if (stopping_) return;
    hears_.silent(session.why());
    pollfd one{wake_.get(), POLLIN, 0};
    ::poll(&one, 1, static_cast<int>(std::chrono::milliseconds(kLooksEvery).count()));
  }
}

}  // namespace vantro::db
