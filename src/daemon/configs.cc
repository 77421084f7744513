#include "daemon/configs.h"

#include <algorithm>

#include "catalog/facts.h"

namespace vantro::daemon {
namespace {

// What all servers over TCP share.
net::TcpConfig tcp_config(const Settings& settings) {
  net::TcpConfig config;
  config.most_connections = static_cast<std::size_t>(settings.limits.connections);
  config.most_per_address =
      static_cast<std::size_t>(settings.limits.connections_per_device);
  return config;
}

}  // namespace

serve::tftp::Config tftp_config(const Settings& settings) {
  serve::tftp::Config config;
  config.listen = settings.tftp.listen;
  config.threads = static_cast<std::size_t>(settings.tftp.threads);
  config.reply_ports = {settings.tftp.reply_ports.listening_port,
                        settings.tftp.reply_ports.range};
  config.ceiling.block_size = static_cast<std::size_t>(settings.tftp.largest_block);
  config.ceiling.window_size = static_cast<std::size_t>(settings.tftp.largest_window);
  config.patience.first = std::chrono::milliseconds(settings.tftp.resend_after_ms);
  config.patience.waits_to_the_letter = settings.tftp.timeout_to_the_letter;
  config.patience.longest =
      std::max<base::Duration>(config.patience.longest, config.patience.first);
  config.patience.shortest =
      std::min<base::Duration>(config.patience.shortest, config.patience.first);
  config.patience.most_unanswered = static_cast<int>(settings.tftp.most_unanswered);
  config.patience.most_silence = std::chrono::seconds(settings.tftp.give_up_after_s);
  return config;
}

net::TcpConfig http_tcp_config(const Settings& settings,
                               std::shared_ptr<crypto::TlsServer> tls) {
  auto config = tcp_config(settings);
  config.tls = std::move(tls);
  config.listen = settings.http.listen;
  config.listen_tls = settings.https.listen;
  config.tls_protocol = "http/1.1";
  config.threads = static_cast<std::size_t>(settings.http.threads);
  return config;
}

net::TcpConfig ftp_tcp_config(const Settings& settings,
                              std::shared_ptr<crypto::TlsServer> tls) {
  auto config = tcp_config(settings);
  config.tls = std::move(tls);
  config.listen = settings.ftp.listen;
  config.threads = static_cast<std::size_t>(settings.ftp.threads);
  return config;
}

serve::ftp::Config ftp_config(const Settings& settings, const char* version, bool tls) {
  serve::ftp::Config config;
  config.log_in_patience = std::chrono::seconds(settings.ftp.log_in_s);
  config.idle_patience = std::chrono::seconds(settings.ftp.idle_s);
  config.stall_patience = std::chrono::seconds(settings.ftp.stalled_s);
  config.come_patience = std::chrono::seconds(settings.ftp.data_connection_s);
  config.data_ports = settings.ftp.data_ports;
  config.announced_address = settings.ftp.announce;
  config.cut_ends_from = settings.ftp.cut_ends_from;
  config.same_session = settings.ftp.same_session;
  config.understands_tls = tls;
  config.version = version;
  return config;
}

net::TcpConfig management_tcp_config(const Settings& settings) {
  net::TcpConfig config;
  config.listen = settings.management.listen;
  config.listen_tls = settings.management.tls_listen;
  config.tls_protocol = "http/1.1";
  // It only reads and writes; calls run on the pools.
  config.threads = 1;
  config.most_connections = kMostManagementConnections;
  config.most_per_address = kMostManagementConnections;
  return config;
}

api::SettingList in_force(const std::string& file, const Settings& at_start,
                          const Settings& now) {
  api::SettingList list;
  list.file = file;
  const auto usual = about(Settings());
  const auto first = about(at_start);
  const auto live = about(now);
  for (std::size_t i = 0; i < live.size(); ++i) {
    const auto& one = live[i].reloadable ? live[i] : first[i];
    list.settings.push_back(
        {one.key, one.value, usual[i].value, one.unit, one.meaning, one.reloadable});
  }
  return list;
}

manage::DoorConfig door_config(const Settings& settings) {
  manage::DoorConfig config;
  config.names = settings.management.names;
  config.groups = settings.management.groups;
  config.pam_service = settings.management.pam_service;
  config.session = std::chrono::hours(settings.management.session_hours);
  return config;
}

net::TcpConfig ssh_tcp_config(const Settings& settings) {
  net::TcpConfig config;
  config.listen = settings.ssh.listen;
  // They only hand connections to their own threads.
  config.threads = 1;
  config.most_connections = static_cast<std::size_t>(settings.ssh.connections);
  config.most_per_address = static_cast<std::size_t>(settings.ssh.connections_per_device);
  return config;
}

serve::ssh::Config ssh_config(const Settings& settings, const char* version) {
  serve::ssh::Config config;
  config.log_in_patience = std::chrono::seconds(settings.ssh.log_in_s);
  config.idle_patience = std::chrono::seconds(settings.ssh.idle_s);
  config.stall_patience = std::chrono::seconds(settings.ssh.stalled_s);
  config.most_wrong_passwords = static_cast<int>(settings.ssh.wrong_passwords);
  const auto connections = static_cast<std::size_t>(settings.ssh.connections);
  config.few_waiting = connections / 2;
  config.most_waiting = connections * 3 / 4;
  config.older = settings.ssh.older;
  config.version = version;
  return config;
}

net::http::Patience http_patience(const Settings& settings) {
  return {std::chrono::seconds(settings.http.head_s),
          std::chrono::seconds(settings.http.idle_s),
          std::chrono::seconds(settings.http.stalled_s)};
}

repository::Rules repository_rules(const Settings& settings) {
  repository::Rules rules;
  // This was checked when the settings were read.
  rules.treatment = backup::Treatment::make(settings.backups.treatment).value();
  rules.keep_configurations = settings.backups.keep_configurations;
  rules.keep_images = settings.backups.keep_images;
  rules.keep_others = settings.backups.keep_others;
  rules.only_vouched = settings.catalogue.only_vouched;
  return rules;
}

gate::Config gate_config(const Settings& settings, const std::string& look_program) {
  gate::Config limits;
  limits.largest_deposit = settings.backups.largest;
  limits.unverified_for = std::chrono::hours(24 * settings.verify.before_fetch_days);
  limits.admission.in_all = static_cast<std::size_t>(settings.limits.transfers);
  limits.admission.per_network =
      static_cast<std::size_t>(settings.limits.transfers_per_network);
  limits.admission.per_address =
      static_cast<std::size_t>(settings.limits.transfers_per_device);
  limits.admission.arriving_per_address = settings.limits.arriving_per_device;
  limits.deposited_per_day = settings.limits.deposited_per_day;
  limits.deposits_per_day = static_cast<std::uint64_t>(settings.limits.deposits_per_day);
  limits.rows_per_day = static_cast<std::uint64_t>(settings.limits.rows_per_day);
  limits.only_recorded = settings.ledger.required;
  limits.keep_while_away = settings.database.keep_uploads;
  limits.rules = settings.rules;
  limits.push_to = settings.push.to;
  limits.kept_per_device = settings.backups.per_device;
  limits.reserve = settings.backups.reserve;
  for (const auto& pattern : settings.recognisers) {
    // This was checked when the settings were read.
    limits.recognisers.push_back(
        text::Recogniser::make(pattern, catalog::fact_names()).value());
  }
  limits.reports = text::ReportReader::make(settings.reports).value();
  limits.path_proven_for = std::chrono::minutes(settings.jobs.path_proven_min);
  limits.other_platform = settings.fetch.other_platform;
  limits.look = {look_program, std::chrono::seconds(settings.catalogue.look_inside_s)};
  return limits;
}

}  // namespace vantro::daemon
