// Where a browser says that a request comes from.
#pragma once

#include <string>
#include <string_view>

#include "net/http/request.h"

namespace vantro::net::http {

// Why the request is taken for one that another site's page has made a browser send
// (Origin, RFC 6454, 7; Sec-Fetch-Site, W3C Fetch Metadata); empty: it is not, or it does
// not come from a browser. `scheme`: of this server, "https"; empty: any, as a proxy may
// stand before it.
std::string from_other_site(const Head& head, std::string_view scheme);

}  // namespace vantro::net::http
