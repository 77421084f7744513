#include "net/front.h"

#include <cerrno>

namespace vantro::net {

tl::expected<void, BindFailure> bind_each(
    const std::vector<base::Endpoint>& all,
    const std::function<int(const base::Endpoint&)>& listen,
    const std::function<void(const base::Endpoint&)>& left_out) {
  bool any = false;
  for (const auto& where : all) {
    const int error = listen(where);
    const bool no_such_family = error == EAFNOSUPPORT || error == EADDRNOTAVAIL;
    if (no_such_family && any && where.address.is_unspecified()) {
      left_out(where);
      continue;
    }
    if (error != 0) return tl::unexpected(BindFailure{where, error});
    any = true;
  }
  return {};
}

}  // namespace vantro::net
