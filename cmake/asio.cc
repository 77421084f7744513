// The bodies of Asio, compiled once for all.
#include <boost/asio/impl/src.hpp>
