"""What a draft of a policy would do, as the API tells it."""

from rest_framework import serializers

from keelmark.access.api.base import Record


class PlaceNamedRead(serializers.Serializer[Record]):
    id = serializers.IntegerField()
    kind = serializers.CharField()
    name = serializers.CharField()


class PoolNamedRead(PlaceNamedRead):
    home_name = serializers.CharField(allow_null=True)


class PlaceFittedRead(PoolNamedRead):
    n_disks = serializers.IntegerField()
    used_bytes = serializers.IntegerField()


class NearestRead(PoolNamedRead):
    found = serializers.CharField()


class PoolForPolicyRead(PoolNamedRead):
    plannable_bytes = serializers.IntegerField(allow_null=True)


class RejectionRead(serializers.Serializer[Record]):
    kind = serializers.CharField()
    n = serializers.IntegerField(help_text="pools that it rejects")
    n_alone = serializers.IntegerField(help_text="of them, those that no other rule rejects")
    nearest = NearestRead(allow_null=True, help_text="that misses it by the least")


class RuleFaultRead(serializers.Serializer[Record]):
    rule = serializers.CharField()
    field = serializers.CharField()
    why = serializers.CharField()


class BesideRead(serializers.Serializer[Record]):
    copy_bytes = serializers.IntegerField(allow_null=True, help_text="used, of what has no copy")
    copy_room_bytes = serializers.IntegerField(help_text="left in pools where one could be")
    thick_bytes = serializers.IntegerField(
        allow_null=True, help_text="not written yet, of what is to be thick"
    )
    snapshot_bytes = serializers.IntegerField(
        allow_null=True, help_text="at most: what is written while they are kept"
    )


class NeedsRead(serializers.Serializer[Record]):
    n_disks = serializers.IntegerField()
    used_bytes = serializers.IntegerField()
    n_unread = serializers.IntegerField(help_text="disks that are not in the bytes")
    iops = serializers.FloatField(allow_null=True, help_text="busiest means of a week added up")
    n_uncounted = serializers.IntegerField(help_text="disks that are not in the iops")
    room_bytes = serializers.IntegerField(help_text="left in all pools that would keep it")
    places = PlaceFittedRead(many=True, help_text="where they would find room")
    n_places = serializers.IntegerField()
    n_left = serializers.IntegerField(help_text="disks that would find none")
    least_seconds = serializers.FloatField(
        allow_null=True, help_text="as fast as arrays have throughput left in their busy hours"
    )
    fits = serializers.BooleanField()


class QuietRead(serializers.Serializer[Record]):
    begins_at = serializers.DateTimeField()
    n_hours = serializers.IntegerField()
    iops = serializers.FloatField()
    usual_iops = serializers.FloatField()
    n_days = serializers.IntegerField(help_text="that were read")
    n_disks = serializers.IntegerField(help_text="that were read, evenly chosen of all")
    n_all = serializers.IntegerField(help_text="disks that the policy bears on")


class ImpactRead(serializers.Serializer[Record]):
    before = serializers.DictField(child=serializers.IntegerField())
    after = serializers.DictField(child=serializers.IntegerField())
    n_breaks = serializers.IntegerField()
    n_mends = serializers.IntegerField()
    breaks = PlaceNamedRead(many=True)
    mends = PlaceNamedRead(many=True)
    by_rule = serializers.DictField(child=serializers.IntegerField())
    places = PoolForPolicyRead(many=True)
    n_places = serializers.IntegerField()
    n_may = serializers.IntegerField(help_text="pools of which something is not known")
    rejections = RejectionRead(many=True)
    needs = NeedsRead(allow_null=True, help_text="what who breaks would have to move")
    beside = BesideRead(allow_null=True, help_text="bytes that it asks for beside")
    quiet = QuietRead(allow_null=True, help_text="the quietest hours of who has the policy")


class TrialRead(serializers.Serializer[Record]):
    faults = RuleFaultRead(many=True, help_text="what is wrong with the draft")
    impact = ImpactRead(allow_null=True, help_text="what it would do, where nothing is wrong")
