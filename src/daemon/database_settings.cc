#include "daemon/database_settings.h"

#include "daemon/toml_values.h"
#include "db/database.h"

namespace vantro::daemon {

using base::Kind;

base::Outcome<void> check_database_url(const std::string& url) {
  const auto address = db::Database::address_of(url);
  if (!address) return base::refuse(address.error());
  if (!address->has_password) return {};
  return base::refuse(Kind::kInvalid,
                      "must not contain the password; write it to a file that only "
                      "vantrod can read, and name that in database.password_file");
}

base::Outcome<void> apply_database_url(std::string& url, const toml::node& node) {
  auto value = text_of(node);
  if (!value) return base::refuse(value.error());
  url = std::move(*value);
  return url.empty() ? base::Outcome<void>() : check_database_url(url);
}

}  // namespace vantro::daemon
