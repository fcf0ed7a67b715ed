#pragma once
#include "exchange/format.h"

#include <TDocStd_Document.hxx>

#include <mutex>

namespace lumsk::exchange {

/// Bodies and curves as a document of the kernel, with names and colours: what its writers of neutral formats take.
Handle(TDocStd_Document) documentOf(const Contents& contents);

/// These writers have global state: one at a time.
std::mutex& writersLock();

} // namespace lumsk::exchange
