// Several lambdas as one visitor of a variant.
#pragma once

namespace vantro::base {

template <class... F>
struct Overloaded : F... {
  using F::operator()...;
};
template <class... F>
Overloaded(F...) -> Overloaded<F...>;

}  // namespace vantro::base
