// All settings. Each section is a struct: a member with its default, and in fields() its
// name, its allowed values, its unit and its meaning. The parser, the command line,
// --check and the test of packaging/vantro.toml use these; other code reads the member.
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "auth/rules.h"
#include "backup/retention.h"
#include "backup/treatment.h"
#include "base/address.h"
#include "base/log.h"
#include "base/outcome.h"
#include "desk/notice_receiver.h"
#include "gate/config.h"
#include "jobs/rescue/profile.h"
#include "jobs/sheet.h"
#include "manage/known_here.h"
#include "mirror/hours.h"
#include "serve/ssh/algorithms.h"
#include "text/recogniser.h"
#include "text/report_reader.h"

namespace vantro::daemon {

class Fields;

using PortRange = std::pair<std::uint16_t, std::uint16_t>;  // first and last

// The source port of TFTP answers: the port that was asked, or one of a range, or any.
struct ReplyPorts {
  bool listening_port = false;
  std::optional<PortRange> range;
};

struct DatabaseSettings {
  std::string url;  // "postgresql://..."; empty: vantro.db in the state folder
  std::string password_file;
  bool keep_uploads = false;

  void fields(Fields& add);
};

struct NodeSettings {
  std::string name;  // empty: the host's name

  void fields(Fields& add);
};

struct MirrorSettings {
  std::string of;  // headquarters; empty: it is not a mirror
  std::string token_file;
  std::string fingerprint;  // of headquarters' certificate
  std::string ca_file;
  std::vector<std::string> platforms, lines, offers, kits;
  bool jobs = false;
  std::vector<std::string> sites;
  std::uint64_t rate = 0;  // bytes per second; 0: no limit
  mirror::Hours hours;
  std::int64_t keep_days = 30;

  void fields(Fields& add);
};

struct TftpSettings {
  std::vector<base::Endpoint> listen = {{base::Address::v4(0), 69},
                                        {base::Address(), 69}};
  ReplyPorts reply_ports;
  std::int64_t threads = 2;
  std::int64_t resend_after_ms = 1000;
  bool timeout_to_the_letter = false;
  std::int64_t most_unanswered = 4;
  std::int64_t give_up_after_s = 45;
  std::int64_t largest_block = 65464;
  std::int64_t largest_window = 64;

  void fields(Fields& add);
};

struct FtpSettings {
  // Empty: not served.
  std::vector<base::Endpoint> listen = {{base::Address::v4(0), 21},
                                        {base::Address(), 21}};
  std::int64_t threads = 2;
  std::optional<PortRange> data_ports;    // nothing: any
  std::optional<base::Address> announce;  // IPv4
  // Where uploads under TLS may end without close_notify; nothing: nowhere.
  std::optional<auth::Networks> cut_ends_from;
  bool same_session = false;
  std::int64_t log_in_s = 60;
  std::int64_t idle_s = 300;
  std::int64_t data_connection_s = 20;
  std::int64_t stalled_s = 60;
  // PEM files as for HTTPS; empty: those of HTTPS, if there are any.
  std::string certificate;
  std::string key;

  void fields(Fields& add);
};

struct HttpSettings {
  // Empty: not served.
  std::vector<base::Endpoint> listen = {{base::Address::v4(0), 80},
                                        {base::Address(), 80}};
  std::int64_t threads = 2;
  std::int64_t head_s = 20;
  std::int64_t idle_s = 60;
  std::int64_t stalled_s = 60;

  void fields(Fields& add);
};

struct HttpsSettings {
  std::vector<base::Endpoint> listen;
  std::string certificate;  // PEM file, with its chain
  std::string key;          // PEM file; empty: in the certificate's

  void fields(Fields& add);
};

struct SshSettings {
  // Empty: not served. Port 22 usually belongs to the system's own SSH server.
  std::vector<base::Endpoint> listen;
  std::int64_t connections = 128;
  std::int64_t connections_per_device = 32;
  std::int64_t log_in_s = 60;
  std::int64_t idle_s = 300;
  std::int64_t stalled_s = 60;
  std::int64_t wrong_passwords = 6;
  std::vector<serve::ssh::Older> older;

  void fields(Fields& add);
};

struct LimitsSettings {
  std::int64_t transfers = 4000;
  std::int64_t transfers_per_network = 1000;
  std::int64_t transfers_per_device = 32;
  std::uint64_t arriving_per_device = std::uint64_t{32} << 30;  // bytes
  std::uint64_t deposited_per_day = std::uint64_t{64} << 30;    // bytes
  std::int64_t deposits_per_day = 5000;
  std::int64_t rows_per_day = 50'000;
  std::int64_t connections = 4000;
  std::int64_t connections_per_device = 256;

  void fields(Fields& add);
};

struct CatalogueSettings {
  bool only_vouched = false;
  std::int64_t look_inside_s = 60;

  void fields(Fields& add);
};

struct FetchSettings {
  gate::OtherPlatform other_platform = gate::OtherPlatform::kRefuse;

  void fields(Fields& add);
};

struct JobsSettings {
  std::int64_t path_proven_min = 120;

  void fields(Fields& add);
};

struct PushSettings {
  auth::Networks to = *auth::Networks::parse("private loopback");

  void fields(Fields& add);
};

struct DropSettings {
  std::string folder;  // empty: none
  std::int64_t settle_s = 5;

  void fields(Fields& add);
};

struct VerifySettings {
  std::int64_t every_days = 30;                  // 0: not by itself
  std::uint64_t rate = std::uint64_t{32} << 20;  // bytes per second
  std::int64_t before_fetch_days = 45;           // 0: never

  void fields(Fields& add);
};

struct ManagementSettings {
  // Without TLS, on loopback. Empty: not served.
  std::vector<base::Endpoint> listen = {{base::Address::v4(0x7f000001), 7070}};
  std::vector<base::Endpoint> tls_listen;
  std::string certificate;  // PEM file, with its chain; empty: one of its own
  std::string key;          // PEM file; empty: in the certificate's
  std::vector<std::string> names;
  std::string socket = "auto";        // or "none", or a path
  std::string socket_group = "auto";  // or "none", or a group
  std::vector<manage::KnownGroup> groups = {{"vantro", {auth::Role::kOperate, {}}}};
  std::string pam_service;  // empty: none
  std::int64_t session_hours = 12;

  void fields(Fields& add);
};

struct LedgerSettings {
  std::int64_t keep_days = 0;  // 0: for ever
  std::string export_folder;   // empty: STATE/ledger
  bool required = false;

  void fields(Fields& add);
};

struct BackupsSettings {
  std::uint64_t largest = std::uint64_t{16} << 30;  // bytes
  std::int64_t keep_partial_days = 7;
  backup::TreatmentConfig treatment;
  std::uint64_t per_device = 0;                    // bytes; 0: no limit
  std::uint64_t reserve = std::uint64_t{1} << 30;  // bytes; 0: none
  backup::KeepRule keep_configurations{90, 365, 0, 10};
  backup::KeepRule keep_images{30, 0, 365, 2};
  backup::KeepRule keep_others{30, 90, 365, 3};
  bool thin_out_daily = false;
  std::string key_file;  // empty: nothing is encrypted

  void fields(Fields& add);
};

struct StopSettings {
  std::int64_t grace_s = 600;

  void fields(Fields& add);
};

struct MetricsSettings {
  auth::Networks open_to = *auth::Networks::parse("loopback");

  void fields(Fields& add);
};

struct SnapshotSettings {
  std::string folder = "/var/backups/vantro";

  void fields(Fields& add);
};

struct ProcessSettings {
  std::string user;     // empty: the user that started it
  bool confine = true;  // it confines itself (daemon/confinement)

  void fields(Fields& add);
};

// kAuto: the journal if standard error goes there, else text.
enum class LogForm { kAuto, kText, kJson, kJournal };

struct LogSettings {
  LogForm form = LogForm::kAuto;
  base::Log::Level level = base::Log::Level::kInfo;

  void fields(Fields& add);
};

struct Settings {
  std::string state = "/var/lib/vantro";
  DatabaseSettings database;
  NodeSettings this_node;
  MirrorSettings mirror;
  TftpSettings tftp;
  FtpSettings ftp;
  HttpSettings http;
  HttpsSettings https;
  SshSettings ssh;
  std::vector<auth::Rule> rules = auth::default_rules();
  LimitsSettings limits;
  CatalogueSettings catalogue;
  std::vector<text::Pattern> recognisers;
  std::vector<text::ReportPattern> reports;
  // From their files.
  std::vector<jobs::SheetTemplate> sheets;
  FetchSettings fetch;
  JobsSettings jobs;
  PushSettings push;
  std::vector<jobs::rescue::Profile> rescues;
  DropSettings drop;
  VerifySettings verify;
  ManagementSettings management;
  LedgerSettings ledger;
  BackupsSettings backups;
  MetricsSettings metrics;
  std::vector<desk::NoticeReceiver> notices;
  SnapshotSettings snapshot;
  StopSettings stop;
  ProcessSettings process;
  LogSettings log;
  // What was given, by key, as it was written: for comparing.
  std::map<std::string, std::string> given;

  void fields(Fields& add);
};

// The description of one setting for people.
struct SettingAbout {
  std::string key;          // "tftp.threads"
  std::string value;        // as in the file; empty: it is not set
  std::string allowed;      // "1 to 64"
  std::string unit;         // "seconds"; empty: none
  std::string meaning;      // a line
  bool reloadable = false;  // SIGHUP applies it; else a restart does
};

// All of them, in the order of packaging/vantro.toml.
std::vector<SettingAbout> about(const Settings& settings);

// Reads the file over the defaults. Refused with a sentence that begins "file:line: " for
// an unknown setting or a wrong value.
base::Outcome<Settings> read_settings(const std::string& file);

// The same for a text; `file` is its name in refusals.
base::Outcome<Settings> parse_settings(std::string_view text, const std::string& file);

// For the command line: one value as in the file, without quotes; for the addresses of a
// protocol a list, of which "none" alone is the empty one. REQUIRES: key is a setting
// that is a text, or such a list.
base::Outcome<void> set(Settings& settings, const std::string& key,
                        const std::vector<std::string>& texts);

}  // namespace vantro::daemon
