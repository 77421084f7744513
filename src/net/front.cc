#include "net/front.h"

#include <algorithm>
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

bool in_the_way(const base::Endpoint& one, const base::Endpoint& other) {
  return one.port == other.port && one.address.is_v4() == other.address.is_v4() &&
         (one.address.is_unspecified() || other.address.is_unspecified());
}

tl::expected<void, BindFailure> move_listeners(
    const std::vector<base::Endpoint>& from, const std::vector<base::Endpoint>& to,
    const std::function<void(const base::Endpoint&)>& close,
    const std::function<int(const base::Endpoint&)>& open) {
  const auto is_in = [](const std::vector<base::Endpoint>& all,
                        const base::Endpoint& one) {
    return std::find(all.begin(), all.end(), one) != all.end();
  };
  std::vector<base::Endpoint> gone, come;
  for (const auto& one : from) {
    if (!is_in(to, one)) gone.push_back(one);
  }
  for (const auto& one : to) {
    if (!is_in(from, one)) come.push_back(one);
  }
  // Closes first only those listeners that are in the way of new ones.
  const auto first =
      std::stable_partition(gone.begin(), gone.end(), [&](const auto& old) {
        return std::none_of(come.begin(), come.end(),
                            [&](const auto& fresh) { return in_the_way(old, fresh); });
      });
  for (auto it = first; it != gone.end(); ++it) close(*it);
  std::vector<base::Endpoint> opened;
  for (const auto& one : come) {
    const int error = open(one);
    if (error == 0) {
      opened.push_back(one);
      continue;
    }
    const bool no_such_family = error == EAFNOSUPPORT || error == EADDRNOTAVAIL;
    if (no_such_family && to.size() > 1 && one.address.is_unspecified()) continue;
    for (const auto& undone : opened) close(undone);
    for (auto it = first; it != gone.end(); ++it) open(*it);
    return tl::unexpected(BindFailure{one, error});
  }
  for (auto it = gone.begin(); it != first; ++it) close(*it);
  return {};
}

}  // namespace vantro::net
