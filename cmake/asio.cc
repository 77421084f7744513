// The bodies of Asio and Beast, compiled once for all.
#include <boost/asio/impl/src.hpp>
#include <boost/beast/src.hpp>
