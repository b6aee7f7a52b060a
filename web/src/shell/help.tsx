import { chakra } from "@chakra-ui/react";
import { Reach } from "../access/reach";
import { Key } from "../parts";
import { Dialog } from "../parts/dialog";

const keys: [string[], string][] = [
  [["1", "2", "3", "4"], "Survey, Addresses, Ports, Put in place"],
  [["/"], "Find a device, address, MAC address or port"],
  [["N"], "Go to the next snag"],
  [["F"], "Take the first mend of what is picked"],
  [["S"], "Suggest pins or ports"],
  [["Enter"], "Take what is suggested for what is picked, or all of it; copy the next value of the sheet"],
  [["←", "→"], "Move the picked pin to the next free address"],
  [["0", "…", "9"], "Type the last number of the picked device's address"],
  [["↑", "↓"], "Pick the row above or below"],
  [["X"], "Choose the picked device, to change several at once"],
  [["W"], "Sweep the network, or stop the sweep"],
  [["Space"], "Tick the step at hand"],
  [["Ctrl", "Z"], "Undo; with Shift, redo"],
  [["Esc"], "Let go of what is picked, close a dialog"],
];

/** Help lists the keys. */
export function Help({ onClose }: { onClose: () => void }) {
  return (
    <Dialog title="Keys" onClose={onClose}>
      <dl>
        {keys.map(([caps, does]) => (
          <chakra.div
            key={does}
            display="grid"
            gridTemplateColumns="130px 1fr"
            py="5px"
            borderBottom="1px solid"
            borderColor="hair"
          >
            <chakra.dt display="flex" gap="4px">
              {caps.map((c) => (
                <Key key={c} alignSelf="start">
                  {c}
                </Key>
              ))}
            </chakra.dt>
            <dd>{does}</dd>
          </chakra.div>
        ))}
      </dl>
      <Reach />
    </Dialog>
  );
}
