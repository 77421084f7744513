#include "daemon/certificates.h"

#include <fmt/format.h>

#include "crypto/certificate.h"
#include "daemon/node_name.h"
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

std::vector<UsedCertificate> used_certificates(const Settings& settings) {
  std::vector<UsedCertificate> used;
  const auto add = [&](const std::string& what, const std::string& file,
                       const std::vector<std::string>& names) {
    if (!file.empty()) used.push_back({what, file, names});
  };
  const bool https = !settings.https.listen.empty();
  const bool ftp = !settings.ftp.listen.empty();
  const bool shared = ftp && settings.ftp.certificate.empty();
  if (https || shared) {
    add(https && shared ? "HTTPS and FTP"
        : https         ? "HTTPS"
                        : "FTP",
        settings.https.certificate, {});
  }
  if (ftp) add("FTP", settings.ftp.certificate, {});
  if (!settings.management.tls_listen.empty()) {
    const auto& given = settings.management.certificate;
    add("management",
        given.empty() ? own_state(settings) + "/management/certificate.pem" : given,
        settings.management.names);
  }
  return used;
}

std::vector<std::pair<std::string, base::WallTime>> certificate_ends(
    const Settings& settings) {
  std::vector<std::pair<std::string, base::WallTime>> ends;
  for (const auto& one : used_certificates(settings)) {
    if (const auto facts = crypto::certificate_facts(one.file)) {
      ends.emplace_back(one.what, facts->good_until);
    }
  }
  return ends;
}

std::map<std::string, std::string> certificates_expiring(const Settings& settings,
                                                         base::WallTime now) {
  std::map<std::string, std::string> expiring;
  for (const auto& one : used_certificates(settings)) {
    // Without names, only its validity can be wrong.
    for (auto& sentence : certificate_trouble(one.what, one.file, {}, now)) {
      expiring[one.what] = std::move(sentence);
    }
  }
  return expiring;
}

std::vector<std::string> certificates_trouble(const Settings& settings,
                                              base::WallTime now) {
  std::vector<std::string> sentences;
  for (const auto& one : used_certificates(settings)) {
    for (auto& sentence : certificate_trouble(one.what, one.file, one.names, now)) {
      sentences.push_back(std::move(sentence));
    }
  }
  return sentences;
}

}  // namespace vantro::daemon
