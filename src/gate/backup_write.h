// A backup that is being received.
#pragma once

#include <string>
#include <vector>

#include "backup/backups.h"
#include "gate/write_sink.h"
#include "store/arrival.h"

namespace vantro::gate {

class BackupWrite final : public WriteSink {
 public:
  BackupWrite(Gate& gate, backup::Revision revision, Announced announced,
              store::Arrival arrival, Transfer transfer);

  base::Outcome<void> write(base::ByteView bytes) override;
  base::Outcome<void> sync() override { return arrival_.sync(); }
  base::Outcome<Filed> commit() override;
  void abandon(State how, const std::string& why, bool keep) override;
  const Transfer& transfer() const override { return transfer_; }

 private:
  Gate& gate_;
  backup::Revision revision_;
  Announced announced_;
  bool differs_ = false;  // from a digest that was announced
  store::Arrival arrival_;
  Transfer transfer_;
};

}  // namespace vantro::gate
