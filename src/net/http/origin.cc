#include "net/http/origin.h"

#include "base/visible_name.h"

namespace vantro::net::http {

std::string from_other_site(const Head& head, std::string_view scheme) {
  const auto origin = head.field("origin");
  const auto end = origin.find("://");
  const bool known = end != std::string::npos;
  const bool own =
      known &&
      (scheme.empty() || base::folded(origin).starts_with(std::string(scheme) + "://")) &&
      base::folded(origin.substr(end + 3)) == base::folded(head.field("host"));
  if (!origin.empty() && !own) return "it comes from " + base::printable(origin, 100);
  const auto site = head.field("sec-fetch-site");
  if (!site.empty() && site != "same-origin" && site != "none") {
    return "the browser calls it " + base::printable(site, 40);
  }
  return "";
}

}  // namespace vantro::net::http
