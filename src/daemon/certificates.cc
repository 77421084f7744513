#include "daemon/certificates.h"

#include <fmt/format.h>

#include "crypto/certificate.h"
#include "daemon/settings.h"

namespace vantro::daemon {

std::vector<std::string> certificate_trouble(const std::string& what,
                                             const std::string& file,
                                             const std::vector<std::string>& names,
                                             base::WallTime now) {
  std::vector<std::string> sentences;
  const auto facts = crypto::certificate_facts(file);
  if (!facts) return sentences;
  constexpr base::WallTime kSoon = std::int64_t{14} * 86'400'000;
  const auto which = fmt::format("the {} certificate in {}", what, file);
  const std::string todo = "; replace it, then 'systemctl reload vantrod'";
  if (facts->good_until <= now) {
    sentences.push_back(fmt::format("{} expired on {}{}", which,
                                    base::local_time(facts->good_until), todo));
  } else if (facts->good_from > now) {
    sentences.push_back(
        fmt::format("{} is not valid before {}; check this machine's clock and "
                    "the file",
                    which, base::local_time(facts->good_from)));
  } else if (facts->good_until - now < kSoon) {
    sentences.push_back(fmt::format("{} expires on {}{}", which,
                                    base::local_time(facts->good_until), todo));
  }
  for (const auto& name : names) {
    if (crypto::certificate_is_for(file, name)) continue;
    sentences.push_back(
        fmt::format("{} is for '{}', not for '{}' of management.names; "
                    "browsers will refuse it under that name",
                    which, facts->subject, name));
  }
  return sentences;
}

std::vector<std::string> certificates_trouble(const Settings& settings,
                                              base::WallTime now) {
  std::vector<std::string> sentences;
  const auto look = [&](const std::string& what, const std::string& file,
                        const std::vector<std::string>& names) {
    if (file.empty()) return;
    for (auto& one : certificate_trouble(what, file, names, now)) {
      sentences.push_back(std::move(one));
    }
  };
  const bool https = !settings.https.listen.empty();
  const bool ftp = !settings.ftp.listen.empty();
  const bool shared = ftp && settings.ftp.certificate.empty();
  if (https || shared) {
    look(https && shared ? "HTTPS and FTP"
         : https         ? "HTTPS"
                         : "FTP",
         settings.https.certificate, {});
  }
  if (ftp) look("FTP", settings.ftp.certificate, {});
  if (!settings.management.tls_listen.empty()) {
    const auto& given = settings.management.certificate;
    look("management",
         given.empty() ? settings.state + "/management/certificate.pem" : given,
         settings.management.names);
  }
  return sentences;
}

}  // namespace vantro::daemon
