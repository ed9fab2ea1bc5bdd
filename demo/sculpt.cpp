#include "sculpt.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>

namespace harbour {
namespace {

using dendraxis::Affine;
using dendraxis::Skeleton;
using dendraxis::SkinnedMesh;

Vec3 on_ring(const Ring& ring, float angle, float size = 1.0f) {
    const auto bent = [&](float value) {
        return std::copysign(std::pow(std::abs(value), 2.0f / ring.squareness), value);
    };
    return ring.center + size * (bent(std::cos(angle)) * ring.across + bent(std::sin(angle)) * ring.along);
}

std::vector<Vec3> smooth_normals(const std::vector<Vec3>& positions,
                                 const std::vector<std::array<std::uint32_t, 3>>& triangles) {
    std::vector<Vec3> normals(positions.size(), Vec3::Zero());
    for (const auto& t : triangles) {
        const Vec3 normal = (positions[t[1]] - positions[t[0]]).cross(positions[t[2]] - positions[t[0]]);
        for (const std::uint32_t corner : t) normals[corner] += normal;
    }
    for (Vec3& normal : normals)
        normal = normal.norm() > 1e-12f ? Vec3(normal.normalized()) : Vec3(Vec3::UnitY());
    return normals;
}

}  // namespace

float smooth_step(float from, float to, float value) {
    const float t = std::clamp((value - from) / (to - from), 0.0f, 1.0f);
    return t * t * (3.0f - 2.0f * t);
}

Sculptor::Sculptor(const std::vector<std::pair<std::string, Vec3>>& joints) : joints_(joints) {}

Vec3 Sculptor::joint(const std::string& name) const {
    const auto found =
        std::find_if(joints_.begin(), joints_.end(), [&](const auto& entry) { return entry.first == name; });
    if (found == joints_.end()) throw std::runtime_error("no joint " + name);
    return found->second;
}

std::uint32_t Sculptor::put_rings(const std::vector<Ring>& rings, const WeightsAt& weights, int segments) {
    Part& part = parts_[current_];
    const auto base = static_cast<std::uint32_t>(part.positions.size());
    for (const Ring& ring : rings) {
        for (int s = 0; s < segments; ++s) {
            part.positions.push_back(
                on_ring(ring, 2.0f * k_pi * static_cast<float>(s) / static_cast<float>(segments)));
            part.weights.push_back(weights(part.positions.back()));
        }
    }
    return base;
}

void Sculptor::cuff(const std::vector<Ring>& rings, const WeightsAt& weights, int segments) {
    const std::uint32_t base = put_rings(rings, weights, segments);
    const auto n = static_cast<std::uint32_t>(segments);
    const auto count = static_cast<std::uint32_t>(rings.size());
    const bool flip = rings[0].across.cross(rings[0].along).dot(rings[1].center - rings[0].center) < 0.0f;
    for (std::uint32_t r = 0; r < count; ++r) {
        for (std::uint32_t s = 0; s < n; ++s) {
            const std::uint32_t a = base + r * n + s;
            const std::uint32_t b = base + r * n + (s + 1) % n;
            const std::uint32_t c = base + (r + 1) % count * n + s;
            const std::uint32_t d = base + (r + 1) % count * n + (s + 1) % n;
            for (const auto& corners : {std::array{a, b, c}, std::array{c, b, d}})
                parts_[current_].triangles.push_back(flip ? std::array{corners[0], corners[2], corners[1]}
                                                          : corners);
        }
    }
}

void Sculptor::tube(const std::vector<Ring>& rings, const WeightsAt& weights, int segments) {
    // Rounded ends: two more rings and a point at each end.
    std::vector<Ring> all;
    const auto cap = [&](const Ring& ring, const Vec3& outward, bool first) {
        const float depth = 0.45f * std::min(ring.across.norm(), ring.along.norm());
        for (const float angle : first ? std::array{75.0f, 45.0f} : std::array{45.0f, 75.0f}) {
            const float a = angle / 180.0f * k_pi;
            all.push_back({ring.center + outward * depth * std::sin(a), ring.across * std::cos(a),
                           ring.along * std::cos(a), ring.squareness});
        }
    };
    const Vec3 start = (rings[0].center - rings[1].center).normalized();
    const Vec3 end = (rings.back().center - rings[rings.size() - 2].center).normalized();
    cap(rings.front(), start, true);
    all.insert(all.end(), rings.begin(), rings.end());
    cap(rings.back(), end, false);

    const std::uint32_t base = put_rings(all, weights, segments);
    Part& part = parts_[current_];
    const auto n = static_cast<std::uint32_t>(segments);
    const auto put = [&](const Vec3& position) {
        part.positions.push_back(position);
        part.weights.push_back(weights(position));
    };
    put(all.front().center + start * 0.02f * all.front().across.norm());
    put(all.back().center + end * 0.02f * all.back().across.norm());
    // Which way around is outward depends on how the half axes lie to the path.
    const bool flip = rings[0].across.cross(rings[0].along).dot(end - start) < 0.0f;
    const auto triangle = [&](std::uint32_t a, std::uint32_t b, std::uint32_t c) {
        part.triangles.push_back(flip ? std::array{base + a, base + c, base + b}
                                      : std::array{base + a, base + b, base + c});
    };
    const auto count = static_cast<std::uint32_t>(all.size());
    for (std::uint32_t r = 0; r + 1 < count; ++r) {
        for (std::uint32_t s = 0; s < n; ++s) {
            const std::uint32_t next = (s + 1) % n;
            triangle(r * n + s, r * n + next, (r + 1) * n + s);
            triangle((r + 1) * n + s, r * n + next, (r + 1) * n + next);
        }
    }
    for (std::uint32_t s = 0; s < n; ++s) {
        triangle(count * n, (s + 1) % n, s);
        triangle(count * n + 1, (count - 1) * n + s, (count - 1) * n + (s + 1) % n);
    }
}

void Sculptor::limb(const std::vector<std::string>& bones, const Vec3& end, const std::vector<Girth>& girths,
                    const Vec3& up, int segments) {
    std::vector<Vec3> path;
    for (const std::string& bone : bones) path.push_back(joint(bone));
    path.push_back(end);
    std::vector<float> lengths{0.0f};
    for (std::size_t i = 1; i < path.size(); ++i)
        lengths.push_back(lengths.back() + (path[i] - path[i - 1]).norm());
    const auto segment_at = [&](float at) {
        std::size_t i = 0;
        while (i + 2 < path.size() && at > lengths[i + 1]) ++i;
        return i;
    };
    std::vector<Ring> rings;
    for (const Girth& girth : girths) {
        const std::size_t i = segment_at(girth.at);
        const Vec3 direction = (path[i + 1] - path[i]).normalized();
        const Vec3 across = direction.cross(up).normalized();
        const Vec3 center = path[i] + direction * (girth.at - lengths[i]);
        rings.push_back({center, across * girth.across, across.cross(direction) * girth.along, 2.0f});
    }
    const auto weights = [&](const Vec3& position) {
        // How far along the path the point lies, by its nearest segment.
        float best = 1e9f;
        float at = 0.0f;
        for (std::size_t i = 0; i + 1 < path.size(); ++i) {
            const Vec3 d = path[i + 1] - path[i];
            const float t = std::clamp((position - path[i]).dot(d) / d.squaredNorm(), 0.0f, 1.0f);
            const float distance = (position - path[i] - t * d).norm();
            if (distance < best - 1e-5f) {
                best = distance;
                at = lengths[i] + t * d.norm();
            }
        }
        Weights result;
        float left = 1.0f;
        for (std::size_t i = bones.size(); i-- > 0;) {
            const float blend =
                i == 0 ? 0.0f : 0.22f * std::min(lengths[i] - lengths[i - 1], lengths[i + 1] - lengths[i]);
            const float here = i == 0 ? 1.0f : smooth_step(lengths[i] - blend, lengths[i] + blend, at);
            if (left * here > 1e-4f) result.emplace_back(bones[i], left * here);
            left *= 1.0f - here;
        }
        return result;
    };
    tube(rings, weights, segments);
}

void Sculptor::ellipsoid(const Vec3& center, const Vec3& radii, const std::string& bone, int segments) {
    std::vector<Ring> rings;
    for (int i = -3; i <= 3; ++i) {
        const float a = static_cast<float>(i) / 3.6f * k_pi / 2.0f;
        rings.push_back({center + Vec3(0, radii.y() * std::sin(a), 0), Vec3(radii.x() * std::cos(a), 0, 0),
                         Vec3(0, 0, radii.z() * std::cos(a)), 2.0f});
    }
    tube(
        rings,
        [&](const Vec3&) {
            return Weights{{bone, 1.0f}};
        },
        segments);
}

std::vector<SkinnedMesh> Sculptor::finish(const Skeleton& skeleton) const {
    std::vector<Affine> world(skeleton.size());
    dendraxis::to_model_matrices(skeleton, dendraxis::rest_pose(skeleton), world);
    const Affine above = dendraxis::to_affine(skeleton.above());
    const Affine to_data = above.inverse();
    std::vector<SkinnedMesh> meshes;
    for (const auto& [name, part] : parts_) {
        SkinnedMesh mesh;
        mesh.name = name;
        mesh.color = colors_.at(name);
        mesh.triangles = part.triangles;
        for (const Vec3& position : part.positions) mesh.positions.push_back(to_data * position);
        mesh.normals = smooth_normals(mesh.positions, mesh.triangles);
        for (std::size_t bone = 0; bone < skeleton.size(); ++bone) {
            mesh.bones.push_back(static_cast<int>(bone));
            mesh.inverse_bind.push_back(world[bone].inverse() * above);
        }
        for (Weights weights : part.weights) {
            std::sort(weights.begin(), weights.end(),
                      [](const auto& a, const auto& b) { return a.second > b.second; });
            weights.resize(std::min<std::size_t>(weights.size(), 4));
            float sum = 0.0f;
            for (const auto& entry : weights) sum += entry.second;
            std::array<std::uint16_t, 4> joints{};
            std::array<float, 4> shares{};
            for (std::size_t k = 0; k < weights.size() && weights[k].second > 0.0f; ++k) {
                joints[k] = static_cast<std::uint16_t>(skeleton.find(weights[k].first));
                shares[k] = weights[k].second / sum;
            }
            mesh.joints.push_back(joints);
            mesh.weights.push_back(shares);
        }
        meshes.push_back(std::move(mesh));
    }
    return meshes;
}

}  // namespace harbour
