import { Checkbox, DataList, Kbd } from "@chakra-ui/react";
import { useState } from "react";
import { Reach } from "../access/reach";
import { Dialog } from "../parts/dialog";
import { setSingleKeys, singleKeys } from "../parts/keys";

const keys: [string[], string][] = [
  [["1", "2", "3", "4", "5"], "Survey, Addresses, Ports, Put in place, Checks; on Addresses with nothing picked"],
  [["/"], "Find a device, address, MAC address or port"],
  [["N"], "Go to the next snag"],
  [["F"], "Take the first mend of what is picked"],
  [["S"], "Suggest pins or ports"],
  [["E"], "On Ports: say what a device is wanted for"],
  [["Enter"], "Take what is suggested for what is picked; pick the mark in focus"],
  [["Tab"], "From one picture or table to the next"],
  [
    ["↑", "↓"],
    "Inside a picture, a table or the sheet: the one above or below; from the first row to the column heads",
  ],
  [["←"], "In a table: to the heading of the group, where ← and → fold and unfold"],
  [["Shift", "→"], "On a column head: make the column wider; with ← narrower"],
  [["←", "→"], "On Addresses: move the picked pin to the next free address"],
  [["0", "…", "9"], "On Addresses, with a device picked: type the last number of its address"],
  [["I"], "To the inspector, and back"],
  [["X"], "Choose the picked device, to change several at once"],
  [["Ctrl", "A"], "In the list of devices: choose all that are shown"],
  [["W"], "Sweep the network, or stop the sweep"],
  [["Space"], "Tick the step at hand"],
  [["Ctrl", "Z"], "Undo; with Shift, redo"],
  [["Esc"], "Stop a drag, put back what was typed, let go of what is picked, close what is open"],
];

/** Help lists the keys. */
export function Help({ onClose }: { onClose: () => void }) {
  const [single, setSingle] = useState(singleKeys);
  const turn = (on: boolean) => {
    setSingleKeys(on);
    setSingle(on);
  };
  return (
    <Dialog title="Keys" onClose={onClose}>
      <DataList.Root>
        {keys.map(([caps, does]) => (
          <DataList.Item key={does} gridTemplateColumns="130px minmax(0, 1fr)">
            <DataList.ItemLabel display="flex" gap="4px">
              {caps.map((c) => (
                <Kbd key={c} alignSelf="start">
                  {c}
                </Kbd>
              ))}
            </DataList.ItemLabel>
            <DataList.ItemValue>{does}</DataList.ItemValue>
          </DataList.Item>
        ))}
      </DataList.Root>
      <Checkbox.Root checked={single} onCheckedChange={({ checked }) => turn(checked === true)} mt="12px">
        <Checkbox.HiddenInput />
        <Checkbox.Control />
        <Checkbox.Label>Keys of one letter, sign or digit work everywhere (kept in this browser)</Checkbox.Label>
      </Checkbox.Root>
      <Reach />
    </Dialog>
  );
}
