#include "io/reader_messages.hpp"

#include "io/blob.hpp"

namespace halvo::io {

const char* kind_name(FileKind k) {
    constexpr const char* names[] = {"STEP", "IGES", "STL", "OBJ", "PLY"};
    return names[static_cast<int>(k)];
}

std::string pack_tree(const Tree& t) {
    BlobOut out;
    const auto text = [&](const std::string& s) { out.put(std::vector<char>(s.begin(), s.end())); };
    text(t.unit);
    out.put(t.parts).put(t.loose).put(static_cast<std::uint64_t>(t.instances.size()));
    for (const Instance& i : t.instances) {
        out.put(i.part).put(i.colour[0]).put(i.colour[1]).put(i.colour[2]);
        for (int r = 0; r < 3; ++r)
            for (int c = 0; c < 4; ++c) out.put(i.place(r, c));
        text(i.name), text(i.path), text(i.layer);
    }
    return out.bytes();
}

Tree unpack_tree(std::string bytes) {
    BlobIn in(std::move(bytes));
    const auto text = [&] {
        const auto v = in.get<std::vector<char>>();
        return std::string(v.begin(), v.end());
    };
    Tree t;
    t.unit = text();
    t.parts = in.get<int>(), t.loose = in.get<int>();
    t.instances.resize(static_cast<std::size_t>(in.get<std::uint64_t>()));
    for (Instance& i : t.instances) {
        i.part = in.get<int>();
        for (double& c : i.colour) c = in.get<double>();
        for (int r = 0; r < 3; ++r)
            for (int c = 0; c < 4; ++c) i.place(r, c) = in.get<double>();
        i.name = text(), i.path = text(), i.layer = text();
    }
    return t;
}

}  // namespace halvo::io
