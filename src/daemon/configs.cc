#include "daemon/configs.h"

#include <algorithm>

#include "catalog/facts.h"

namespace vantro::daemon {
namespace {

// What all servers over TCP share.
serve::TcpConfig tcp_config(const Settings& settings) {
  serve::TcpConfig config;
  config.most_connections = static_cast<std::size_t>(settings.limits_connections);
  config.most_per_address =
      static_cast<std::size_t>(settings.limits_connections_per_device);
  return config;
}

}  // namespace

serve::tftp::Config tftp_config(const Settings& settings) {
  serve::tftp::Config config;
  config.listen = settings.tftp_listen;
  config.threads = static_cast<std::size_t>(settings.tftp_threads);
  config.reply_ports = {settings.tftp_reply_ports.listening_port,
                        settings.tftp_reply_ports.range};
  config.ceiling.block_size = static_cast<std::size_t>(settings.tftp_largest_block);
  config.ceiling.window_size = static_cast<std::size_t>(settings.tftp_largest_window);
  config.patience.first = std::chrono::milliseconds(settings.tftp_resend_after_ms);
  config.patience.waits_to_the_letter = settings.tftp_timeout_to_the_letter;
  config.patience.longest =
      std::max<base::Duration>(config.patience.longest, config.patience.first);
  config.patience.shortest =
      std::min<base::Duration>(config.patience.shortest, config.patience.first);
  config.patience.most_unanswered = static_cast<int>(settings.tftp_most_unanswered);
  config.patience.most_silence = std::chrono::seconds(settings.tftp_give_up_after_s);
  return config;
}

serve::TcpConfig http_tcp_config(const Settings& settings,
                                 std::shared_ptr<crypto::TlsServer> tls) {
  auto config = tcp_config(settings);
  config.tls = std::move(tls);
  config.listen = settings.http_listen;
  config.listen_tls = settings.https_listen;
  config.threads = static_cast<std::size_t>(settings.http_threads);
  return config;
}

serve::TcpConfig ftp_tcp_config(const Settings& settings,
                                std::shared_ptr<crypto::TlsServer> tls) {
  auto config = tcp_config(settings);
  config.tls = std::move(tls);
  config.listen = settings.ftp_listen;
  config.threads = static_cast<std::size_t>(settings.ftp_threads);
  return config;
}

serve::ftp::Config ftp_config(const Settings& settings, const char* version, bool tls) {
  serve::ftp::Config config;
  config.log_in_patience = std::chrono::seconds(settings.ftp_log_in_s);
  config.idle_patience = std::chrono::seconds(settings.ftp_idle_s);
  config.stall_patience = std::chrono::seconds(settings.ftp_stalled_s);
  config.come_patience = std::chrono::seconds(settings.ftp_data_connection_s);
  config.passive_ports = settings.ftp_passive_ports;
  config.announced_address = settings.ftp_announce;
  config.cut_ends_from = settings.ftp_cut_ends_from;
  config.understands_tls = tls;
  config.version = version;
  return config;
}

serve::TcpConfig ssh_tcp_config(const Settings& settings) {
  serve::TcpConfig config;
  config.listen = settings.ssh_listen;
  // They only hand connections to their own threads.
  config.threads = 1;
  config.most_connections = static_cast<std::size_t>(settings.ssh_connections);
  config.most_per_address = static_cast<std::size_t>(settings.ssh_connections_per_device);
  return config;
}

serve::ssh::Config ssh_config(const Settings& settings, const char* version) {
  serve::ssh::Config config;
  config.log_in_patience = std::chrono::seconds(settings.ssh_log_in_s);
  config.idle_patience = std::chrono::seconds(settings.ssh_idle_s);
  config.stall_patience = std::chrono::seconds(settings.ssh_stalled_s);
  config.most_wrong_passwords = static_cast<int>(settings.ssh_wrong_passwords);
  config.older = settings.ssh_older;
  config.version = version;
  return config;
}

serve::http::Patience http_patience(const Settings& settings) {
  return {std::chrono::seconds(settings.http_head_s),
          std::chrono::seconds(settings.http_idle_s),
          std::chrono::seconds(settings.http_stalled_s)};
}

repository::Rules repository_rules(const Settings& settings) {
  repository::Rules rules;
  // The settings were read with this check.
  rules.treatment = backup::Treatment::make(settings.backups_treatment).value();
  rules.keep_configurations = settings.backups_keep_configurations;
  rules.keep_images = settings.backups_keep_images;
  rules.keep_others = settings.backups_keep_others;
  rules.only_vouched = settings.catalogue_only_vouched;
  return rules;
}

gate::Config gate_config(const Settings& settings) {
  gate::Config limits;
  limits.largest_deposit = settings.backups_largest;
  limits.unverified_for = std::chrono::hours(24 * settings.verify_before_fetch_days);
  limits.admission.in_all = static_cast<std::size_t>(settings.limits_transfers);
  limits.admission.per_network =
      static_cast<std::size_t>(settings.limits_transfers_per_network);
  limits.admission.per_address =
      static_cast<std::size_t>(settings.limits_transfers_per_device);
  limits.admission.arriving_per_address = settings.limits_arriving_per_device;
  limits.deposited_per_day = settings.limits_deposited_per_day;
  limits.rules = settings.rules;
  limits.kept_per_device = settings.backups_per_device;
  limits.reserve = settings.backups_reserve;
  for (const auto& pattern : settings.recognisers) {
    // The settings were read with this check.
    limits.recognisers.push_back(
        text::Recogniser::make(pattern, catalog::fact_names()).value());
  }
  // This program itself, also when its file has been exchanged since.
  limits.look = {"/proc/self/exe",
                 std::chrono::seconds(settings.catalogue_look_inside_s)};
  return limits;
}

}  // namespace vantro::daemon
