// A request's origin, as a browser tells it.
#pragma once

#include <string>
#include <string_view>

#include "net/http/request.h"

namespace vantro::net::http {

// Why the request seems to come from another site's page (Origin, RFC 6454, 7;
// Sec-Fetch-Site, W3C Fetch Metadata); empty: it does not, or it does not come from a
// browser. `scheme`: of this server, "https"; empty: any, as there may be a proxy in
// front.
std::string from_other_site(const Head& head, std::string_view scheme);

}  // namespace vantro::net::http
