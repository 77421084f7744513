#include "manage/metrics.h"

#include <array>
#include <chrono>
#include <dirent.h>
#include <filesystem>
#include <map>
#include <optional>
#include <prometheus/metric_family.h>
#include <prometheus/text_serializer.h>
#include <sstream>
#include <sys/resource.h>
#include <utility>
#include <vector>

#include "base/mutex.h"
#include "desk/backup_reports.h"
#include "desk/load.h"
#include "desk/notices.h"
#include "desk/trouble.h"

namespace vantro::manage {
namespace {

using prometheus::ClientMetric;
using prometheus::MetricFamily;
using prometheus::MetricType;

using Labels = std::vector<ClientMetric::Label>;

// The classes for ages of backups, in seconds: hours, days, weeks, months.
constexpr std::array<double, 8> kAges{3'600,        6 * 3'600.,   86'400,
                                      2 * 86'400.,  7 * 86'400.,  31 * 86'400.,
                                      93 * 86'400., 366 * 86'400.};
constexpr std::chrono::seconds kHolds{60};
constexpr double kMilli = 0.001;

// Families in the order in which they are first named.
class Page {
 public:
  void counter(const char* name, const char* help, Labels labels, double value) {
    ClientMetric metric;
    metric.label = std::move(labels);
    metric.counter.value = value;
    add(name, help, MetricType::Counter, std::move(metric));
  }
  void gauge(const char* name, const char* help, Labels labels, double value) {
    ClientMetric metric;
    metric.label = std::move(labels);
    metric.gauge.value = value;
    add(name, help, MetricType::Gauge, std::move(metric));
  }
  void histogram(const char* name, const char* help, Labels labels,
                 ClientMetric::Histogram histogram) {
    ClientMetric metric;
    metric.label = std::move(labels);
    metric.histogram = std::move(histogram);
    add(name, help, MetricType::Histogram, std::move(metric));
  }
  std::string text() const {
    std::ostringstream out;
    prometheus::TextSerializer().Serialize(out, families_);
    return out.str();
  }

 private:
  void add(const char* name, const char* help, MetricType type, ClientMetric metric) {
    const auto [at, fresh] = places_.emplace(name, families_.size());
    if (fresh) {
      MetricFamily family;
      family.name = name;
      family.help = help;
      family.type = type;
      families_.push_back(std::move(family));
    }
    families_[at->second].metric.push_back(std::move(metric));
  }

  std::vector<MetricFamily> families_;
  std::map<std::string, std::size_t> places_;
};

double number(std::uint64_t value) { return static_cast<double>(value); }

template <std::size_t Size>
ClientMetric::Histogram histogram_of(const std::array<double, Size>& bounds,
                                     const std::array<std::uint64_t, Size + 1>& counts,
                                     double sum) {
  ClientMetric::Histogram histogram;
  for (std::size_t i = 0; i <= Size; ++i) {
    histogram.sample_count += counts[i];
    histogram.bucket.push_back(
        {histogram.sample_count,
         i < Size ? bounds[i] : std::numeric_limits<double>::infinity()});
  }
  histogram.sample_sum = sum;
  return histogram;
}

void add_transfers(Page& page, const gate::Gate& gate) {
  const auto all = gate.transfers().tallies().all();
  for (const auto& [key, ended] : all.ended) {
    const auto& [protocol, direction, outcome] = key;
    const Labels labels{
        {"protocol", protocol}, {"direction", direction}, {"outcome", outcome}};
    page.counter("vantro_transfers_total", "Transfers that have ended.", labels,
                 number(ended.transfers));
    page.counter("vantro_transfer_bytes_total", "Bytes of transfers that have ended.",
                 labels, number(ended.bytes));
    page.counter("vantro_resent_packets_total",
                 "Packets that were sent again in transfers that have ended.", labels,
                 number(ended.resent));
  }
  for (const auto& [key, rates] : all.rates) {
    page.histogram("vantro_transfer_rate_bytes_per_second",
                   "Rates of complete transfers of 64 KiB and more.",
                   {{"protocol", key.first}, {"direction", key.second}},
                   histogram_of(gate::Tallies::kRates, rates.counts, rates.sum));
  }
  for (const auto& [key, count] : all.refusals) {
    page.counter("vantro_refusals_total", "Requests of devices that were refused.",
                 {{"protocol", key.first}, {"kind", key.second}}, number(count));
  }
  const auto totals = gate.transfers().totals();
  page.counter("vantro_moved_bytes_total",
               "Bytes that have moved, with those of transfers that still run.",
               {{"way", "to-devices"}}, number(totals.out));
  page.counter("vantro_moved_bytes_total", "", {{"way", "from-devices"}},
               number(totals.in));
  std::map<std::pair<std::string, std::string>, std::size_t> running;
  std::size_t stalled = 0;
  for (const auto& one : gate.transfers().view()) {
    if (one.state != gate::State::kRunning) continue;
    ++running[{one.protocol, word(one.direction)}];
    if (one.stalled_ms) ++stalled;
  }
  page.gauge("vantro_transfers_stalled", "Transfers that run and do not move.", {},
             number(stalled));
  page.gauge("vantro_draining", "1 while no new transfers are accepted.", {},
             gate.drain().view() ? 1 : 0);
  if (running.empty()) running[{"tftp", "fetch"}] = 0;
  for (const auto& [key, count] : running) {
    page.gauge("vantro_transfers_running", "Transfers that run.",
               {{"protocol", key.first}, {"direction", key.second}}, number(count));
  }
}

void add_threads_and_sockets(Page& page, Service& service) {
  if (service.fronts) {
    for (const auto& one : service.fronts()) {
      const Labels labels{{"server", one.name}};
      page.gauge("vantro_connections_open",
                 "Connections, or transfers of a server without connections.", labels,
                 number(one.open));
      page.counter("vantro_connections_turned_away_total",
                   "Connections refused over the limits.", labels,
                   number(one.turned_away));
    }
  }
  for (const auto& [name, load] : service.pools()) {
    const Labels labels{{"pool", name}};
    page.gauge("vantro_pool_threads", "Threads of a pool.", labels, number(load.threads));
    page.gauge("vantro_pool_running", "Tasks that a pool works on.", labels,
               number(load.running));
    page.gauge("vantro_pool_waiting", "Tasks that wait for a thread.", labels,
               number(load.waiting));
  }
}

void add_place(Page& page, Service& service) {
  const auto& repository = service.repository;
  page.gauge("vantro_disk_free_bytes", "Free space on the disk of the state folder.", {},
             number(repository.folder.free_bytes()));
  if (const auto size = repository.database->bytes()) {
    page.gauge("vantro_database_bytes", "Size of the database.", {}, number(*size));
  }
  const bool failing = repository.database->away().has_value() ||
                       repository.database->write_failure().has_value() ||
                       !repository.folder.try_writing();
  page.gauge("vantro_database_failing", "1 while nothing can be written.", {},
             failing ? 1 : 0);
  const auto behind = repository.ledger.failing();
  page.gauge("vantro_ledger_waiting_rows",
             "Rows of the ledger that wait because they can't be written.", {},
             behind ? number(behind->waiting) : 0);
  page.gauge("vantro_ledger_dropped_rows",
             "Rows of the ledger that were dropped since they can't be written.", {},
             behind ? number(behind->dropped) : 0);
  page.gauge("vantro_offers", "Names that devices can fetch.", {},
             number(repository.offer_index()->size()));
  page.gauge("vantro_rescue_sessions_open", "Rescue sessions that are open.", {},
             number(repository.snapshot()->rescues->all().size()));
  for (const auto& [work, term] : repository.nodes.held()) {
    page.gauge("vantro_lease_holder",
               "Work that this node does for all: how many nodes had it so far.",
               {{"work", work}}, static_cast<double>(term));
  }
  for (const auto& [what, until] : service.certificates()) {
    page.gauge("vantro_certificate_expiry_time_seconds", "When a certificate expires.",
               {{"use", what}}, static_cast<double>(until) * kMilli);
  }
}

// Values that cost more than a look.
struct Slow {
  std::int64_t images = 0, revisions = 0;
  std::int64_t damaged = 0, contradicted = 0;
  std::size_t expected = 0, overdue = 0, missing = 0, shrunken = 0;
  std::array<std::uint64_t, kAges.size() + 1> ages{};
  double ages_sum = 0;
  std::size_t trouble = 0;
};

Slow read_slow(Service& service) {
  Slow slow;
  auto& repository = service.repository;
  slow.images = static_cast<std::int64_t>(repository.catalog.count().value_or(0));
  slow.revisions = static_cast<std::int64_t>(repository.backups.count().value_or(0));
  static_cast<void>(
      repository.database->read([&](db::Transaction& t) -> base::Outcome<void> {
        slow.damaged =
            t.query(
                 "select count(*) from (select sha256 from images where whole = 0 "
                 "union select sha256 from revisions where whole = 0 union select "
                 "sha256 from documents where whole = 0) as damaged")
                .front()
                .integer(0);
        slow.contradicted = t.query(
                                 "select count(*) from images where vouching = "
                                 "'contradicted' and withdrawn_at is null")
                                .front()
                                .integer(0);
        return {};
      }));
  const auto now = service.clock.wall();
  if (const auto overview = desk::BackupReports(repository).overview(now)) {
    for (const auto& one : overview->expected) {
      ++slow.expected;
      if (one.seen_at == 0) {
        if (one.overdue) ++slow.missing;
        continue;
      }
      if (one.overdue) ++slow.overdue;
      const auto age = static_cast<double>(now - one.seen_at) * kMilli;
      const auto bound = std::lower_bound(kAges.begin(), kAges.end(), age);
      ++slow.ages[static_cast<std::size_t>(bound - kAges.begin())];
      slow.ages_sum += age;
    }
    for (const auto& one : overview->files) {
      if (one.shrunk) ++slow.shrunken;
    }
  }
  if (const auto trouble = desk::trouble(repository)) slow.trouble = trouble->size();
  return slow;
}

// Nothing: the database has not answered since the start.
std::optional<Slow> slow_of(Service& service) {
  struct Kept {
    base::Mutex mutex;
    const Service* of VANTRO_GUARDED_BY(mutex) = nullptr;
    base::Instant at VANTRO_GUARDED_BY(mutex){};
    Slow slow VANTRO_GUARDED_BY(mutex);
  };
  static Kept kept;
  const base::Lock lock(kept.mutex);
  const auto now = service.clock.now();
  // While the database does not answer: as they were. Zeros would look like an answer.
  if (service.repository.database->away()) {
    if (kept.of != &service) return std::nullopt;
  } else if (kept.of != &service || now - kept.at >= kHolds) {
    kept.slow = read_slow(service);
    kept.of = &service;
    kept.at = now;
  }
  return kept.slow;
}

void add_kept(Page& page, Service& service) {
  const auto known = slow_of(service);
  if (!known) return;
  const auto& slow = *known;
  page.gauge("vantro_images", "Images in the catalogue.", {},
             static_cast<double>(slow.images));
  page.gauge("vantro_backup_revisions", "Revisions of backups.", {},
             static_cast<double>(slow.revisions));
  page.gauge("vantro_backups_expected", "Devices whose backups are expected.", {},
             number(slow.expected));
  page.gauge("vantro_backups_overdue", "Devices whose backup is overdue.", {},
             number(slow.overdue));
  page.gauge("vantro_backups_missing",
             "Devices with an overdue backup that never sent any.", {},
             number(slow.missing));
  page.gauge("vantro_backups_shrunken", "Files that are much smaller than usual.", {},
             number(slow.shrunken));
  page.histogram("vantro_backup_age_seconds",
                 "Ages of the last backups of the devices whose backups are expected.",
                 {}, histogram_of(kAges, slow.ages, slow.ages_sum));
  page.gauge("vantro_contents_damaged", "Stored contents that are damaged or missing.",
             {}, static_cast<double>(slow.damaged));
  page.gauge("vantro_images_contradicted",
             "Images that differ from their makers' checksums.", {},
             static_cast<double>(slow.contradicted));
  page.gauge("vantro_trouble", "Sentences of trouble in 'vantro status'.", {},
             number(slow.trouble));
  const auto verified = service.verifier.progress();
  page.gauge("vantro_verify_running", "1 while stored bytes are verified.", {},
             verified.running ? 1 : 0);
  page.gauge("vantro_verified_contents", "Contents that the last verification has read.",
             {}, number(verified.contents_read));
  page.gauge("vantro_verify_end_time_seconds",
             "When the last verification ended; 0: none since the start.", {},
             static_cast<double>(verified.ended_at) * kMilli);
}

void add_notices(Page& page, Service& service) {
  if (service.notices == nullptr) return;
  if (const auto receivers = service.notices->receivers()) {
    for (const auto& one : *receivers) {
      const Labels labels{{"receiver", one.receiver.name}};
      page.gauge("vantro_notices_waiting", "Notices that a receiver does not have yet.",
                 labels, number(one.waiting));
      page.counter("vantro_notices_sent_total", "Notices that a receiver has accepted.",
                   labels, number(one.sent));
    }
  }
  if (const auto standing = service.notices->standing()) {
    std::map<std::string, std::size_t> counts;
    for (const auto& event : desk::kNoticeEvents) counts[std::string(event)] = 0;
    for (const auto& [key, what] : *standing) ++counts[key.first];
    for (const auto& [event, count] : counts) {
      page.gauge("vantro_conditions", "What is wrong at this moment, by event.",
                 {{"event", event}}, number(count));
    }
  }
}

std::size_t open_descriptors() {
  std::size_t count = 0;
  std::error_code failed;
  for (auto at = std::filesystem::directory_iterator("/proc/self/fd", failed);
       !failed && at != std::filesystem::directory_iterator(); at.increment(failed)) {
    ++count;
  }
  return count;
}

void add_process(Page& page, Service& service) {
  page.gauge("vantro_build_info", "The version that runs.",
             {{"version", service.version}}, 1);
  page.gauge("process_start_time_seconds", "When the server started.", {},
             static_cast<double>(service.started_at) * kMilli);
  page.gauge("process_resident_memory_bytes", "Memory that is resident.", {},
             number(desk::resident_memory()));
  page.gauge("process_open_fds", "Descriptors that are open.", {},
             number(open_descriptors()));
  rlimit limit{};
  if (::getrlimit(RLIMIT_NOFILE, &limit) == 0) {
    page.gauge("process_max_fds", "Descriptors that may be open.", {},
               number(limit.rlim_cur));
  }
  rusage used{};
  if (::getrusage(RUSAGE_SELF, &used) == 0) {
    const auto seconds = [](const timeval& time) {
      return static_cast<double>(time.tv_sec) + static_cast<double>(time.tv_usec) * 1e-6;
    };
    page.counter("process_cpu_seconds_total", "Processor time, of user and system.", {},
                 seconds(used.ru_utime) + seconds(used.ru_stime));
  }
}

}  // namespace

std::string metrics(Service& service) {
  Page page;
  add_process(page, service);
  add_transfers(page, service.gate);
  add_threads_and_sockets(page, service);
  add_place(page, service);
  add_kept(page, service);
  add_notices(page, service);
  return page.text();
}

}  // namespace vantro::manage
