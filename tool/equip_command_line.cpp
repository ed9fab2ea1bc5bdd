#include "command_line.hpp"

namespace dendraxis::tool {

void add_socket_commands(CLI::App& app, SocketArguments& arguments, std::function<int()>& chosen) {
    CLI::App* socket = app.add_subcommand(
        "socket",
        "List, place and mirror sockets, or bring them from another character: where things are mounted");
    socket->require_subcommand(1);
    const auto add = [&](const char* name, const char* what, const char* example, std::function<int()> run) {
        CLI::App* command = add_command(*socket, name, what, example, arguments.json, chosen, std::move(run));
        command->add_option("CHARACTER", arguments.character, "the character's file, or its sheet")
            ->option_text("FILE REQUIRED")
            ->required();
        command->add_option("--sheet", arguments.sheet, "the sheet, where CHARACTER is a character's file")
            ->option_text("FILE");
        command->add_option("-o,--out", arguments.out, "the sheet to write (.rig.json)")->option_text("FILE");
        return command;
    };
    const auto name_sockets = [&](CLI::App* command, bool several) {
        CLI::Option* names = command->add_option("SOCKET", arguments.names, "the socket's name")->required();
        if (several)
            names->option_text("NAME ... REQUIRED");
        else
            names->expected(1)->option_text("NAME REQUIRED");
    };
    const auto values = [&](CLI::App* command) {
        name_sockets(command, false);
        command->add_option("--bone", arguments.bone, "the bone that carries it")->option_text("NAME");
        command->add_option("--kind", arguments.kind, "what it is for")
            ->check(CLI::IsMember({"grip", "holster", "seat", "worn"}));
        command
            ->add_option("--at", arguments.at_words,
                         "metres to the character's left, up and forward from the bone's head, at rest")
            ->option_text("X,Y,Z");
        command
            ->add_option("--turn", arguments.turn_words,
                         "how it is turned at rest: degrees about the character's left, up and forward, as "
                         "one rotation vector")
            ->option_text("X,Y,Z");
    };

    CLI::App* c = add("list", "Tell the sockets of a sheet; without a sheet those that the chart suggests",
                      "socket list hero.glb -o hero.rig.json", [&] { return run_socket_list(arguments); });
    c->add_flag("--suggest", arguments.suggest, "forget the sheet's sockets and suggest anew");
    values(add("add", "Add a socket",
               "socket add hero.rig.json ladle --bone hips --kind holster --at 0.1,0,0.05 -o hero.rig.json",
               [&] { return run_socket_add(arguments); }));
    values(add("move", "Change a socket's bone, kind, place or turn",
               "socket move hero.rig.json back --at 0,0.1,-0.2 -o hero.rig.json", [&] {
                   arguments.move = true;
                   return run_socket_add(arguments);
               }));
    name_sockets(add("mirror", "Make the same socket on the other side",
                     "socket mirror hero.rig.json hand.left -o hero.rig.json",
                     [&] { return run_socket_mirror(arguments); }),
                 true);
    name_sockets(add("remove", "Take sockets out", "socket remove hero.rig.json back -o hero.rig.json",
                     [&] { return run_socket_remove(arguments); }),
                 true);
    c = add("bring",
            "Bring sockets from another character: to the bones of the same names, else by the charts",
            "socket bring guest.glb --from hero.rig.json -o guest.rig.json",
            [&] { return run_socket_bring(arguments); });
    c->add_option("--from", arguments.from, "the character that has the sockets, or its sheet")
        ->option_text("FILE REQUIRED")
        ->required();
    c->add_option("SOCKET", arguments.names, "only these; all where none is named")->option_text("NAME ...");
    c->add_flag("--as-it-was", arguments.as_it_was,
                "same metres and turn along the bone's own axes, instead of in proportion to the limb");
}

void add_equip_command(CLI::App& app, EquipArguments& arguments, std::function<int()>& chosen) {
    CLI::App* c = add_command(
        app, "equip",
        "Mount props at sockets and fit clothing, as plain nodes that any viewer shows; take them off",
        "equip hero.glb --put lamp.glb@hand.left --put cap.glb@head,scale=1.1 -o hero-equipped.glb",
        arguments.json, chosen, [&] { return run_equip(arguments); });
    c->add_option("CHARACTER", arguments.character, "the character's file, or its sheet")
        ->option_text("FILE REQUIRED")
        ->required();
    c->add_option("--sheet", arguments.sheet, "the sheet whose sockets count; suggested ones without a sheet")
        ->option_text("FILE");
    c->add_option("--put", arguments.put_words,
                  "a prop (any glTF) and the socket that takes it; several places of one thing: "
                  "SOCKET+SOCKET; behind commas: scale=N, grip=NAME, second=SOCKET (the other hand comes to "
                  "its grip.second), in=CLIP+CLIP (only in these), mirrored")
        ->option_text("FILE@SOCKET[,...] ...");
    c->add_option("--switch", arguments.switch_words,
                  "where a thing with several places goes at a frame of a clip; at once, or gliding there: "
                  ",over=FRAMES")
        ->option_text("CLIP:FRAME=NAME@SOCKET ...");
    c->add_option("--let-go", arguments.let_go_words,
                  "let a thing go at a frame of a clip: from there on it falls, and follows no more")
        ->option_text("CLIP:FRAME=NAME ...");
    c->add_option("--push", arguments.push_words,
                  "an impulse on a thing as it is let go: N s to the character's left, up, forward")
        ->option_text("NAME=X,Y,Z ...");
    c->add_option("--terrain", arguments.terrain, "what it falls onto (.glb); a level floor where not given")
        ->option_text("FILE");
    c->add_option(
         "--fit", arguments.fit_words,
         "a piece of clothing and the part of the body that it covers; #NODE: one node of the file; "
         "without @PART all nodes that are named like parts; behind commas: scale=N, at=SHARE of the "
         "part's length, mirrored, both-sides (and mirrored on the other)")
        ->option_text("FILE[#NODE][@PART][,...] ...");
    c->add_option("--take", arguments.take, "props to take off again, by name")->option_text("NAME ...");
    c->add_flag("--take-all", arguments.take_all, "take all props off");
    c->add_option("-o,--out", arguments.out, "the file to write (.glb); without it what is mounted is told")
        ->option_text("FILE");
}

void add_sweep_command(CLI::App& app, SweepArguments& arguments, std::function<int()>& chosen) {
    CLI::App* c = add_command(
        app, "sweep", "Tell what a prop's volume touches in a window of a clip, at any speed",
        "sweep hero-equipped.glb --clip chop --volume axe.blade --window 20..40 --against log.glb",
        arguments.json, chosen, [&] { return run_sweep(arguments); });
    c->add_option("CHARACTER", arguments.character,
                  "the character's file with its props mounted, or its sheet")
        ->option_text("FILE REQUIRED")
        ->required();
    c->add_option("--sheet", arguments.sheet, "the sheet whose windows count")->option_text("FILE");
    c->add_option("--clip", arguments.clip, "the clip; without it all clips of the sheet's windows")
        ->option_text("NAME");
    c->add_option("--volume", arguments.volume, "the prop's name and the volume's: mallet.head")
        ->option_text("NAME");
    c->add_option("--window", arguments.window_words,
                  "when it is live: frames, 20..40, or seconds, 0.6s..1.3s; without it the sheet's windows")
        ->option_text("A..B");
    c->add_option("--group", arguments.groups,
                  "only what belongs to these: trunk, head, arm, leg, tail; mesh")
        ->option_text("NAME ...");
    c->add_option("--against", arguments.against,
                  "what may be touched: a character (the bodies of its ragdoll), or any mesh")
        ->option_text("FILE");
    c->add_option("--against-clip", arguments.against_clip, "the clip that the other one plays meanwhile")
        ->option_text("NAME");
    c->add_option("--at", arguments.at_words,
                  "where the other one's origin is: metres to the character's left, up and forward")
        ->option_text("X,Y,Z");
    c->add_option("-o,--out", arguments.out, "keep the window in this sheet (.rig.json)")
        ->option_text("FILE");
}

}  // namespace dendraxis::tool
