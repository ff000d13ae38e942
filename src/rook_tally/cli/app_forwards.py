"""Commands about what is handed on, and about everything that leaves this machine."""

from __future__ import annotations

from typing import Annotated

import typer

from rook_tally.cli.options import JsonOption, StoreOption, YesOption, chosen_store
from rook_tally.core.forwards.definitions import ForwardForm, ForwardKind

forwards_app = typer.Typer()
forward_app = typer.Typer(help="Readings handed on to other systems.", no_args_is_help=True)
forwards_app.add_typer(forward_app, name="forward")

NameArgument = Annotated[str, typer.Argument(metavar="NAME", help="As `forward list` has it.")]


@forward_app.command("add")
def forward_add(
    context: typer.Context,
    name: Annotated[str, typer.Argument(metavar="NAME", help="In lower case, with hyphens.")],
    address: Annotated[
        str,
        typer.Argument(
            metavar="ADDRESS", help="https://host/path, or mqtt://host:port/prefix (mqtts: TLS)."
        ),
    ],
    kind: Annotated[
        ForwardKind | None,
        typer.Option(help="To whom; else by the address. Another Rook Tally: https://host:port."),
    ] = None,
    place: Annotated[
        list[str] | None, typer.Option(metavar="PLACE", help="Only this; may come again.")
    ] = None,
    quantity: Annotated[
        list[str] | None, typer.Option(metavar="QUANTITY", help="Only this; may come again.")
    ] = None,
    form: Annotated[
        ForwardForm, typer.Option(help="How readings are written.")
    ] = ForwardForm.SENML,
    raw: Annotated[bool, typer.Option(help="Without corrections.")] = False,
    every: Annotated[str, typer.Option(metavar="SPAN", help="Means, as in 5min.")] = "",
    user: Annotated[str, typer.Option(metavar="NAME", help="Of a broker.")] = "",
    secret: Annotated[
        str,
        typer.Option(
            metavar="TEXT",
            envvar="ROOK_TALLY_SECRET",
            help="A bearer token, the key of a gateway, or the password.",
        ),
    ] = "",
    from_: Annotated[
        str, typer.Option("--from", metavar="T", help="Send also what was since; else from now.")
    ] = "",
    yes: YesOption = False,
    store: StoreOption = None,
) -> None:
    """Hand readings on; a forward of that name is replaced and goes on where it was."""
    from rook_tally.cli.forwards import ForwardWords, add_forward

    told = ForwardWords(
        name,
        kind,
        address,
        tuple(place or ()),
        tuple(quantity or ()),
        form,
        raw,
        every,
        user,
        secret,
        from_,
    )
    add_forward(chosen_store(context, store), told, is_sure=yes)


@forward_app.command("list")
def forward_list(
    context: typer.Context, as_json: JsonOption = False, store: StoreOption = None
) -> None:
    """Every forward, how far it is and why its target takes nothing."""
    from rook_tally.cli.forwards import list_forwards

    list_forwards(chosen_store(context, store), as_json=as_json)


@forward_app.command("on")
def forward_on(context: typer.Context, name: NameArgument, store: StoreOption = None) -> None:
    """Go on where it was."""
    from rook_tally.cli.forwards import switch_forward

    switch_forward(chosen_store(context, store), name, is_on=True)


@forward_app.command("off")
def forward_off(context: typer.Context, name: NameArgument, store: StoreOption = None) -> None:
    """Hand nothing on until it is switched on again."""
    from rook_tally.cli.forwards import switch_forward

    switch_forward(chosen_store(context, store), name, is_on=False)


@forward_app.command("remove")
def forward_remove(context: typer.Context, name: NameArgument, store: StoreOption = None) -> None:
    """Delete a forward."""
    from rook_tally.cli.forwards import delete_forward

    delete_forward(chosen_store(context, store), name)


leaves_app = typer.Typer(invoke_without_command=True)
forwards_app.add_typer(leaves_app, name="leaves")
WayArgument = Annotated[str, typer.Argument(metavar="NAME", help="As `leaves` has it.")]


@leaves_app.callback()
def leaves(context: typer.Context, as_json: JsonOption = False, store: StoreOption = None) -> None:
    """Everything that leaves this machine: to whom, what, when last, how much, allowed by whom."""
    context.obj = chosen_store(context, store)
    if context.invoked_subcommand is None:
        from rook_tally.cli.leaves import print_leaves

        print_leaves(context.obj, as_json=as_json)


@leaves_app.command("off")
def leaves_off(context: typer.Context, name: WayArgument, store: StoreOption = None) -> None:
    """Let nothing leave by a way any more; what is set up stays."""
    from rook_tally.cli.leaves import switch

    switch(chosen_store(context, store), name, is_on=False)


@leaves_app.command("on")
def leaves_on(context: typer.Context, name: WayArgument, store: StoreOption = None) -> None:
    """Use a way again."""
    from rook_tally.cli.leaves import switch

    switch(chosen_store(context, store), name, is_on=True)


gateway_app = typer.Typer(
    help="Keys of senders behind which several stations stand, as another Rook Tally.",
    no_args_is_help=True,
)
forwards_app.add_typer(gateway_app, name="gateway")


@gateway_app.command("add")
def gateway_add(
    context: typer.Context,
    name: Annotated[str, typer.Argument(metavar="NAME", help="In lower case, with hyphens.")],
    store: StoreOption = None,
) -> None:
    """Make a gateway's key; it is printed this once. Its stations come in as NAME.STATION."""
    from rook_tally.cli.gateways import make_key

    make_key(chosen_store(context, store), name)


@gateway_app.command("list")
def gateway_list(
    context: typer.Context, as_json: JsonOption = False, store: StoreOption = None
) -> None:
    """Every gateway and its stations."""
    from rook_tally.cli.gateways import list_gateways

    list_gateways(chosen_store(context, store), as_json=as_json)


@gateway_app.command("revoke")
def gateway_revoke(
    context: typer.Context,
    name: Annotated[str, typer.Argument(metavar="NAME")],
    store: StoreOption = None,
) -> None:
    """Let a gateway in no longer; its stations and what they measured stay."""
    from rook_tally.cli.gateways import revoke_key

    revoke_key(chosen_store(context, store), name)
