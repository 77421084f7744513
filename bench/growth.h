// State folders of a given size, made the short way: in the database, and as links in the
// vault.
#pragma once

#include <cstdint>
#include <string>

namespace vantro::bench {

enum class Grows { kImages, kOffers, kDevices, kRevisions, kLedgerRows };

// `state`: the folder's path; there must be nothing. `count` of what grows; it need not
// be round. Images are of 500 platforms and each is on offer; offers are all of one
// image; each device has an address; 1,000 devices have the revisions, and the ledger's
// rows. Nothing is due to be verified: the bytes are not those of the checksums.
void make_grown(const std::string& state, Grows what, std::int64_t count);

// Names of what make_grown() made.
std::string grown_image(std::int64_t number);   // from 1 on; is on offer under this name
std::string grown_offer(std::int64_t number);   // from 1 on
std::string grown_device(std::int64_t number);  // from 1 on

}  // namespace vantro::bench
